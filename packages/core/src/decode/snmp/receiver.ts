import { DecodeError, type DecodeProblem } from "../../base/bytes/index.js";
import { TAG } from "./ber.js";
import { readMessage, writeCommunityMessage } from "./message.js";
import { PDU, type SnmpPdu, writePdu } from "./pdu.js";
import { hexOf, isTimely, openV3, UsmClock, type UsmUsers, writeV3 } from "./usm.js";
import type { VarBind } from "./value.js";

/** A notification taken out of its message. */
export interface SnmpNotification {
  readonly version: "v1" | "v2c" | "v3";
  readonly pdu: SnmpPdu;
  /** The community, or the USM user. */
  readonly user: string;
  /** v3, in hex: the engine whose keys were used (the sender's for traps), and the one the data is of. */
  readonly engineId: string | null;
  readonly contextEngineId: string | null;
  readonly contextName: string | null;
}

export type Received =
  /** `reply` answers an inform; send it once the record is durable. `key` is the same for a repetition of the inform. */
  | {
      readonly type: "notification";
      readonly notification: SnmpNotification;
      readonly reply: (() => Uint8Array) | null;
      readonly key: string | null;
    }
  /** Refused: `report` (RFC 3414 section 3.2) goes back at once, if there is one. Discovery is no refusal. */
  | {
      readonly type: "refused";
      readonly problem: DecodeProblem;
      readonly discovery: boolean;
      readonly report: Uint8Array | null;
      /** The community nobody admitted, where it was refused for that. */
      readonly community?: string;
    };

/** This engine, as RFC 3411 section 5 wants it. */
export interface OwnEngine {
  readonly id: Uint8Array;
  readonly boots: number;
  /** Seconds since it booted, at a moment. */
  timeAt(nowUs: number): number;
}

/** USM statistics that reports carry (RFC 3414 section 5). */
const USM_STATS = "1.3.6.1.6.3.15.1.1";
const STAT = { levels: 1, window: 2, user: 3, engine: 4, digest: 5, decryption: 6 } as const;

/**
 * Judges what arrives at a notification port: opens v3, answers discovery, keeps the time window. Communities are names of
 * who may speak.
 */
export class SnmpReceiver {
  private readonly clock = new UsmClock();
  private readonly reported = new Map<number, number>();
  private salt: bigint;

  constructor(
    private readonly users: UsmUsers,
    private readonly isAdmitted: (community: string) => boolean,
    private readonly engine: OwnEngine,
    /** Where salts begin: random, so that a restart does not use one twice. */
    firstSalt: bigint,
  ) {
    this.salt = firstSalt;
  }

  receive(bytes: Uint8Array, nowUs: number): Received {
    try {
      return this.judge(bytes, nowUs);
    } catch (e) {
      if (!(e instanceof DecodeError)) throw e;
      return refused(e, null);
    }
  }

  private judge(bytes: Uint8Array, nowUs: number): Received {
    const message = readMessage(bytes);
    if (message.version !== "v3") {
      const { version, community, pdu } = message;
      if (!this.isAdmitted(community)) {
        const error = new DecodeError("NOT_AUTHENTIC", 0, "community: not one of those of this endpoint");
        return { ...refused(error, null), community };
      }
      return {
        type: "notification",
        notification: { version, pdu, user: community, engineId: null, contextEngineId: null, contextName: null },
        reply: pdu.inform
          ? () => writeCommunityMessage("v2c", community, writePdu(PDU.response, pdu.requestId!, pdu.varbinds))
          : null,
        key: pdu.inform ? `${community} ${pdu.requestId}` : null,
      };
    }
    const e = message.envelope;
    const own = { boots: this.engine.boots, time: this.engine.timeAt(nowUs) };
    // RFC 3412 section 7.2: reportable messages are informs, and for those this engine is the authority
    const forUs = e.reportable;
    const report = (stat: number, user: string, level: "noAuth" | "auth" = "noAuth") =>
      forUs ? this.report(e.msgId, stat, user, level, own) : null;
    if (forUs && hexOf(e.engineId) !== hexOf(this.engine.id)) {
      // RFC 3414 section 4: an empty engine id asks who we are
      const discovery = e.engineId.length === 0 || e.user === "";
      const problem = new DecodeError(
        "UNKNOWN_ENGINE",
        0,
        `engine id: expected ${hexOf(this.engine.id)}, got ${hexOf(e.engineId) || "none"}`,
      );
      return { ...refused(problem, report(STAT.engine, "")), discovery };
    }
    try {
      const { pdu, contextEngineId, contextName } = openV3(bytes, e, this.users);
      if (e.auth) {
        if (!forUs) this.clock.check(e, nowUs);
        else if (!isTimely(e, own))
          return {
            ...refused(
              new DecodeError(
                "OUT_OF_TIME",
                0,
                `engine time: expected boots ${own.boots}, ${own.time} s, got boots ${e.engineBoots}, ${e.engineTime} s`,
              ),
              report(STAT.window, e.user, "auth"),
            ),
            // the second step of discovery (RFC 3414 section 4)
            discovery: e.engineBoots === 0 && e.engineTime === 0,
          };
      }
      const level = e.priv ? "priv" : e.auth ? "auth" : "noAuth";
      return {
        type: "notification",
        notification: {
          version: "v3",
          pdu,
          user: e.user,
          engineId: hexOf(e.engineId),
          contextEngineId: contextEngineId.length > 0 ? hexOf(contextEngineId) : null,
          contextName: contextName === "" ? null : contextName,
        },
        reply: pdu.inform
          ? () =>
              writeV3(
                {
                  msgId: e.msgId,
                  reportable: false,
                  engineId: this.engine.id,
                  engineBoots: this.engine.boots,
                  engineTime: own.time,
                  contextEngineId,
                  contextName,
                  pdu: writePdu(PDU.response, pdu.requestId!, pdu.varbinds),
                  salt: this.nextSalt(),
                  level,
                },
                e.user,
                this.users,
              )
          : null,
        key: pdu.inform ? `${e.user} ${pdu.requestId}` : null,
      };
    } catch (error) {
      if (!(error instanceof DecodeError)) throw error;
      const stat = error.code === "UNKNOWN_USER" ? STAT.user : error.code === "NOT_AUTHENTIC" ? STAT.digest : null;
      return refused(error, stat === null ? null : report(stat, e.user));
    }
  }

  private report(
    msgId: number,
    stat: number,
    user: string,
    level: "noAuth" | "auth",
    own: { boots: number; time: number },
  ): Uint8Array {
    const count = (this.reported.get(stat) ?? 0) + 1;
    this.reported.set(stat, count);
    const varbind: VarBind = {
      oid: `${USM_STATS}.${stat}.0`,
      value: { type: "counter32", value: BigInt(count % 4_294_967_296) },
    };
    return writeV3(
      {
        msgId,
        reportable: false,
        engineId: this.engine.id,
        engineBoots: own.boots,
        engineTime: own.time,
        contextEngineId: this.engine.id,
        contextName: "",
        pdu: writePdu(PDU.report, 0, [varbind]),
        salt: this.nextSalt(),
        level,
      },
      user,
      this.users,
    );
  }

  private nextSalt(): Uint8Array {
    const out = new Uint8Array(8);
    new DataView(out.buffer).setBigUint64(0, this.salt);
    this.salt = BigInt.asUintN(64, this.salt + 1n);
    return out;
  }
}

const refused = (problem: DecodeProblem, report: Uint8Array | null): Extract<Received, { type: "refused" }> => ({
  type: "refused",
  problem: { code: problem.code, offset: problem.offset, message: problem.message },
  discovery: false,
  report,
});

/** The notification of a datagram that was judged before, or that a capture holds: no window, no answers. */
export function readNotification(bytes: Uint8Array, users: UsmUsers): SnmpNotification {
  const message = readMessage(bytes);
  if (message.version !== "v3")
    return {
      version: message.version,
      pdu: message.pdu,
      user: message.community,
      engineId: null,
      contextEngineId: null,
      contextName: null,
    };
  const { pdu, contextEngineId, contextName } = openV3(bytes, message.envelope, users);
  return {
    version: "v3",
    pdu,
    user: message.envelope.user,
    engineId: hexOf(message.envelope.engineId),
    contextEngineId: contextEngineId.length > 0 ? hexOf(contextEngineId) : null,
    contextName: contextName === "" ? null : contextName,
  };
}

/** Whether bytes begin as an SNMP message does: how captures tell. */
export function looksLikeSnmp(bytes: Uint8Array): boolean {
  if (bytes.length < 12 || bytes[0] !== TAG.sequence) return false;
  const at = bytes[1]! < 0x80 ? 2 : 2 + (bytes[1]! & 0x7f);
  return (
    bytes[at] === TAG.integer &&
    bytes[at + 1] === 1 &&
    (bytes[at + 2] === 0 || bytes[at + 2] === 1 || bytes[at + 2] === 3)
  );
}
