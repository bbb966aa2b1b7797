import { ByteReader, DecodeError } from "../../base/bytes/index.js";
import { US_PER_SECOND } from "../../base/time/index.js";
import { expectTlv, TAG } from "./ber.js";
import { integer, octets, sequence, tlv } from "./ber-writer.js";
import { AUTH_OCTETS, type AuthProtocol, type PrivProtocol, type SnmpCrypto } from "./crypto.js";
import { localizeKey, passwordToKey, privacyKey } from "./keys.js";
import { latin1, readScopedContents, type ScopedPdu, type V3Envelope } from "./message.js";

/** A user with keys made from its passwords (Ku of RFC 3414 section A.2): passwords themselves are not kept. */
export interface UsmUser {
  readonly name: string;
  readonly auth: { readonly protocol: AuthProtocol; readonly key: Uint8Array } | null;
  readonly priv: { readonly protocol: PrivProtocol; readonly key: Uint8Array } | null;
}

/** A user as a person states it. Privacy needs authentication, and hashes with its hash. */
export interface UsmPasswords {
  readonly name: string;
  readonly authProtocol?: AuthProtocol | undefined;
  readonly authPassword?: string | undefined;
  readonly privProtocol?: PrivProtocol | undefined;
  readonly privPassword?: string | undefined;
}

export function usmUser(crypto: SnmpCrypto, u: UsmPasswords): UsmUser {
  const key = (password: string) => passwordToKey(crypto, u.authProtocol!, new TextEncoder().encode(password));
  const auth = u.authProtocol && u.authPassword ? { protocol: u.authProtocol, key: key(u.authPassword) } : null;
  const priv = auth && u.privProtocol && u.privPassword ? { protocol: u.privProtocol, key: key(u.privPassword) } : null;
  return { name: u.name, auth, priv };
}

interface EngineKeys {
  readonly auth: Uint8Array | null;
  readonly priv: Uint8Array | null;
}

/** Engines whose keys are kept ready; the oldest give way. */
const MAX_ENGINE_KEYS = 4_096;

/** Users and their keys, localised for each engine they are heard from (RFC 3414 section 2.6). */
export class UsmUsers {
  private readonly byName: ReadonlyMap<string, UsmUser>;
  private readonly localized = new Map<string, EngineKeys>();

  constructor(
    users: readonly UsmUser[],
    readonly crypto: SnmpCrypto,
  ) {
    this.byName = new Map(users.map((u) => [u.name, u]));
  }

  user(name: string): UsmUser | undefined {
    return this.byName.get(name);
  }

  keys(user: UsmUser, engineId: Uint8Array): EngineKeys {
    const id = `${user.name} ${hexOf(engineId)}`;
    const known = this.localized.get(id);
    if (known) return known;
    const { auth, priv } = user;
    const keys: EngineKeys = {
      auth: auth && localizeKey(this.crypto, auth.protocol, auth.key, engineId),
      priv:
        auth &&
        priv &&
        privacyKey(
          this.crypto,
          auth.protocol,
          priv.protocol,
          localizeKey(this.crypto, auth.protocol, priv.key, engineId),
          engineId,
        ),
    };
    if (this.localized.size >= MAX_ENGINE_KEYS) this.localized.delete(this.localized.keys().next().value!);
    this.localized.set(id, keys);
    return keys;
  }
}

/**
 * Authenticates and opens a v3 message (RFC 3414 section 3.2, steps 4 to 8 but for the time window: see `UsmClock`).
 * @throws {DecodeError} UNKNOWN_USER, NOT_AUTHENTIC (wrong password, or a level the user does not have)
 */
export function openV3(message: Uint8Array, e: V3Envelope, users: UsmUsers): ScopedPdu {
  const user = users.user(e.user);
  if (!user) throw new DecodeError("UNKNOWN_USER", 0, `user: “${e.user}” is not one of the users of this endpoint`);
  const level = (user.auth ? 1 : 0) + (user.auth && user.priv ? 1 : 0);
  const used = (e.auth ? 1 : 0) + (e.priv ? 1 : 0);
  // a user with a password must use it: anyone could write the name
  if (level !== used)
    throw new DecodeError("NOT_AUTHENTIC", 0, `user “${e.user}”: expected ${LEVELS[level]}, got ${LEVELS[used]}`);
  if (!e.auth) return readScopedContents(new ByteReader(e.scoped!));
  const { crypto } = users;
  const keys = users.keys(user, e.engineId);
  const wanted = AUTH_OCTETS[user.auth!.protocol];
  if (e.authParameters.length !== wanted)
    throw new DecodeError(
      "NOT_AUTHENTIC",
      e.authOffset,
      `msgAuthenticationParameters: expected ${wanted} bytes for ${user.auth!.protocol}, got ${e.authParameters.length}`,
    );
  // a Buffer's own slice would share its memory
  const zeroed = new Uint8Array(message);
  zeroed.fill(0, e.authOffset, e.authOffset + wanted);
  const digest = crypto.hmac(user.auth!.protocol, keys.auth!, zeroed).subarray(0, wanted);
  if (!crypto.equal(digest, e.authParameters))
    throw new DecodeError("NOT_AUTHENTIC", e.authOffset, `user “${e.user}”: wrong password or altered message`);
  if (!e.priv) return readScopedContents(new ByteReader(e.scoped!));
  const plain = crypt(crypto, "decrypt", user.priv!.protocol, keys.priv!, e, e.privParameters, e.encrypted!);
  try {
    return readScopedContents(expectTlv(new ByteReader(plain), TAG.sequence, "scoped PDU"));
  } catch (error) {
    if (error instanceof DecodeError && error.code !== "NOT_NOTIFICATION")
      // the message is authentic, so its text is: only the key to it can be wrong
      throw new DecodeError("NOT_AUTHENTIC", e.authOffset, `user “${e.user}”: wrong privacy password or cipher`);
    throw error;
  }
}

const LEVELS = ["no password", "authentication without privacy", "authentication and privacy"] as const;

function crypt(
  crypto: SnmpCrypto,
  direction: "encrypt" | "decrypt",
  cipher: PrivProtocol,
  key: Uint8Array,
  engine: { readonly engineBoots: number; readonly engineTime: number },
  salt: Uint8Array,
  data: Uint8Array,
): Uint8Array {
  if (salt.length !== 8)
    throw new DecodeError("BAD_LENGTH", 0, `msgPrivacyParameters: expected 8 bytes, got ${salt.length}`);
  if (cipher === "des") {
    // RFC 3414 section 8.1.1.1: the key's second half is the pre-IV
    if (data.length === 0 || data.length % 8 !== 0)
      throw new DecodeError("BAD_LENGTH", 0, `encrypted PDU: expected a multiple of 8 bytes, got ${data.length}`);
    return crypto.desCbc(
      direction,
      key.subarray(0, 8),
      salt.map((b, i) => b ^ key[8 + i]!),
      data,
    );
  }
  // RFC 3826 section 3.1.2.1: boots, time, salt
  const iv = new Uint8Array(16);
  const view = new DataView(iv.buffer);
  view.setUint32(0, engine.engineBoots);
  view.setUint32(4, engine.engineTime);
  iv.set(salt, 8);
  return crypto.aesCfb(direction, key, iv, data);
}

export interface V3Write {
  readonly msgId: number;
  readonly reportable: boolean;
  readonly engineId: Uint8Array;
  readonly engineBoots: number;
  readonly engineTime: number;
  readonly contextEngineId: Uint8Array;
  readonly contextName: string;
  /** A whole PDU, tag and all. */
  readonly pdu: Uint8Array;
  /** Eight octets never used before with this key. */
  readonly salt: Uint8Array;
  readonly level: "noAuth" | "auth" | "priv";
}

const MAX_MESSAGE = 65_507;

/** A v3 message by a user, protected as the level says: reports and responses of ours, and what stand-in devices send. */
export function writeV3(w: V3Write, userName: string, users: UsmUsers): Uint8Array {
  const user = users.user(userName);
  const auth = w.level !== "noAuth" && user?.auth ? user.auth : null;
  const priv = w.level === "priv" && auth && user?.priv ? user.priv : null;
  const keys = user && auth ? users.keys(user, w.engineId) : null;
  const scoped = sequence(octets(w.contextEngineId), octets(latin1(w.contextName)), w.pdu);
  let data = scoped;
  if (priv) {
    const padded = priv.protocol === "des" ? new Uint8Array(Math.ceil(scoped.length / 8) * 8) : scoped;
    if (padded !== scoped) padded.set(scoped);
    data = octets(crypt(users.crypto, "encrypt", priv.protocol, keys!.priv!, w, w.salt, padded));
  }
  const authOctets = auth ? AUTH_OCTETS[auth.protocol] : 0;
  const flags = (auth ? 1 : 0) | (priv ? 2 : 0) | (w.reportable ? 4 : 0);
  const parameters = sequence(
    octets(w.engineId),
    integer(w.engineBoots),
    integer(w.engineTime),
    octets(latin1(userName)),
    octets(new Uint8Array(authOctets)),
    octets(priv ? w.salt : new Uint8Array(0)),
  );
  const header = [
    integer(3),
    sequence(integer(w.msgId), integer(MAX_MESSAGE), tlv(TAG.octetString, Uint8Array.of(flags)), integer(3)),
  ];
  const message = sequence(...header, octets(parameters), data);
  if (!auth) return message;
  const digest = users.crypto.hmac(auth.protocol, keys!.auth!, message).subarray(0, authOctets);
  // the place of the zeros: found from the end, since what follows them is known
  const tail = (priv ? 2 + w.salt.length : 2) + data.length;
  message.set(digest, message.length - tail - authOctets);
  return message;
}

/** RFC 3414 section 3.2 (7): how far a message's time may be from its engine's. */
const WINDOW_SECONDS = 150;
const MAX_ENGINES = 10_000;

/** Latest boots and time of engines heard, so that old messages cannot be played again (RFC 3414 section 3.2 step 7 b). */
export class UsmClock {
  private readonly engines = new Map<string, { boots: number; time: number; atUs: number }>();

  /** @throws {DecodeError} OUT_OF_TIME. Call with authentic messages only. */
  check(e: Pick<V3Envelope, "engineId" | "engineBoots" | "engineTime">, nowUs: number): void {
    const id = hexOf(e.engineId);
    const known = this.engines.get(id);
    if (known) {
      const time = known.time + Math.floor((nowUs - known.atUs) / US_PER_SECOND);
      if (e.engineBoots < known.boots || (e.engineBoots === known.boots && e.engineTime < time - WINDOW_SECONDS))
        throw new DecodeError(
          "OUT_OF_TIME",
          0,
          `engine time: expected about boots ${known.boots}, ${time} s, got boots ${e.engineBoots}, ${e.engineTime} s: an old message played again, or a clock set back`,
        );
      const newer = e.engineBoots > known.boots || (e.engineBoots === known.boots && e.engineTime > known.time);
      if (!newer) return;
    }
    this.engines.delete(id);
    if (this.engines.size >= MAX_ENGINES) this.engines.delete(this.engines.keys().next().value!);
    this.engines.set(id, { boots: e.engineBoots, time: e.engineTime, atUs: nowUs });
  }
}

/** Whether a message meant for our own engine is timely (RFC 3414 section 3.2 step 7 a). */
export const isTimely = (
  e: Pick<V3Envelope, "engineBoots" | "engineTime">,
  own: { readonly boots: number; readonly time: number },
): boolean => e.engineBoots === own.boots && Math.abs(e.engineTime - own.time) <= WINDOW_SECONDS;

export const hexOf = (bytes: Uint8Array): string => {
  let out = "";
  for (const b of bytes) out += b.toString(16).padStart(2, "0");
  return out;
};
