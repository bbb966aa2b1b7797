import { type ByteReader, DecodeError } from "../../base/bytes/index.js";
import type { EpochUs } from "../../base/time/index.js";
import { type CertificateFacts, readCertificate } from "./certificate.js";
import type { Ends, StreamContent, Tell } from "./ends.js";
import { between } from "./observation.js";
import { alertName, cipherName, versionName } from "./tls-names.js";
import { TlsReader } from "./tls-reader.js";

const CLIENT_HELLO = 1;
const SERVER_HELLO = 2;
const CERTIFICATE = 11;
const SERVER_NAME = 0;
const ALPN = 16;
const SUPPORTED_VERSIONS = 43;
const TLS_1_3 = 0x0304;
/** RFC 8446 section 4.1.3: a ServerHello with this random asks for another ClientHello. The first octets tell it. */
const RETRY = [0xcf, 0x21, 0xad, 0x74, 0xe5, 0x9a, 0x61, 0x11];
/** An alert under encryption is 2 octets, a type and 16 octets of tag; a Finished has 32 octets and more of its own (RFC 8446 sections 4.4.4 and 5.2). */
const LEAST_FINISHED = 40;
const MOST_TEXT = 255;
const TCP = 6;

/** The handshake of one TLS connection, as far as it is in clear; told of once, when it is over. */
export class TlsHandshake implements StreamContent {
  private readonly beganUs: EpochUs;
  private nowUs: EpochUs;
  private serverName = "";
  private offered: number | null = null;
  private version: number | null = null;
  private cipher: number | null = null;
  private protocol = "";
  private certificate: CertificateFacts | null = null;
  private alert: string | null = null;
  private readonly changed = { client: false, server: false };
  private isTold = false;
  private readonly client = this.reader("client");
  private readonly server = this.reader("server");

  constructor(
    private readonly ends: Ends,
    timeUs: EpochUs,
    private readonly tell: Tell,
  ) {
    this.beganUs = this.nowUs = timeUs;
  }

  get isOver(): boolean {
    return this.isTold;
  }

  /** Octets that are held. */
  get held(): number {
    return this.client.heldBytes + this.server.heldBytes;
  }

  push(timeUs: EpochUs, fromClient: boolean, bytes: Uint8Array): void {
    this.nowUs = timeUs;
    (fromClient ? this.client : this.server).push(bytes);
  }

  /** Octets that never came: where the next record begins nobody knows. */
  miss(timeUs: EpochUs): void {
    this.nowUs = timeUs;
    this.over("unknown", "not seen in full");
  }

  end(timeUs: EpochUs, bothWays: boolean): void {
    this.nowUs = timeUs;
    if (bothWays) this.over("failure", this.version === null ? "no answer" : "given up");
    else this.over("unknown", "not seen in full");
  }

  private reader(side: "client" | "server"): TlsReader {
    return new TlsReader({
      handshake: (type, body) => {
        try {
          this.handshake(side, type, body);
        } catch (e) {
          if (!(e instanceof DecodeError)) throw e;
          this.over("unknown", "not readable");
        }
      },
      alert: (isFatal, alert) => {
        if (isFatal) {
          this.alert = `${alertName(alert)}, by the ${side}`;
          this.over("failure", "failed");
        }
      },
      changeCipherSpec: () => {
        this.changed[side] = true;
        if (this.version !== TLS_1_3 && this.changed.client && this.changed.server) this.over("success", "agreed");
      },
      encrypted: (octets) => this.encrypted(side, octets),
      over: () => this.over("unknown", "not readable"),
    });
  }

  /** From TLS 1.3 on the end is encrypted too: the client's first record is its Finished, or an alert, which is shorter. */
  private encrypted(side: "client" | "server", octets: number): void {
    if (this.version !== TLS_1_3 || side !== "client") return;
    if (octets >= LEAST_FINISHED) this.over("success", "agreed");
    else {
      this.alert = "encrypted, by the client";
      this.over("failure", "failed");
    }
  }

  private handshake(side: "client" | "server", type: number, r: ByteReader): void {
    if (type === CLIENT_HELLO && side === "client") this.clientHello(r);
    else if (type === SERVER_HELLO && side === "server") this.serverHello(r);
    else if (type === CERTIFICATE && side === "server" && this.certificate === null) this.readChain(r);
  }

  /** RFC 8446 section 4.1.2; RFC 6066 section 3; RFC 7301 section 3.1. */
  private clientHello(r: ByteReader): void {
    this.offered = r.u16("client version");
    r.skip(32, "client random");
    r.skip(r.u8("session id length"), "session id");
    r.skip(r.u16("cipher suites length"), "cipher suites");
    r.skip(r.u8("compression length"), "compression");
    this.extensions(r, (type, body) => {
      if (type === SERVER_NAME && body.left > 0) {
        const list = body.sub(body.u16("server names length"), "server names");
        if (list.left > 0 && list.u8("kind of server name") === 0)
          this.serverName = textOf(list.slice(list.u16("server name length"), "server name")).toLowerCase();
      } else if (type === SUPPORTED_VERSIONS) {
        const versions = body.sub(body.u8("versions length"), "versions");
        while (versions.left >= 2) {
          const version = versions.u16("version");
          // RFC 8701: values that are reserved to be ignored
          if ((version & 0x0f0f) !== 0x0a0a) this.offered = Math.max(this.offered ?? 0, version);
        }
      }
    });
  }

  /** RFC 8446 section 4.1.3. */
  private serverHello(r: ByteReader): void {
    let version = r.u16("server version");
    const random = r.slice(32, "server random");
    if (RETRY.every((octet, i) => random[i] === octet)) return;
    r.skip(r.u8("session id length"), "session id");
    this.cipher = r.u16("cipher suite");
    r.skip(1, "compression");
    this.extensions(r, (type, body) => {
      if (type === SUPPORTED_VERSIONS) version = body.u16("version");
      else if (type === ALPN) {
        const list = body.sub(body.u16("protocols length"), "protocols");
        this.protocol = textOf(list.slice(list.u8("protocol length"), "protocol"));
      }
    });
    this.version = version;
  }

  private extensions(r: ByteReader, take: (type: number, body: ByteReader) => void): void {
    if (r.left < 2) return;
    const all = r.sub(r.u16("extensions length"), "extensions");
    while (all.left >= 4) take(all.u16("extension"), all.sub(all.u16("extension length"), "extension"));
  }

  /** RFC 5246 section 7.4.2: the server's own stands first. */
  private readChain(r: ByteReader): void {
    const chain = r.sub(r.u16("certificates length") * 256 + r.u8("certificates length"), "certificates");
    if (chain.left === 0) return;
    const length = chain.u16("certificate length") * 256 + chain.u8("certificate length");
    try {
      this.certificate = readCertificate(chain.slice(length, "certificate"));
    } catch (e) {
      // what a server sends as its certificate is its own affair: the handshake goes on
      if (!(e instanceof DecodeError)) throw e;
    }
  }

  private over(outcome: "success" | "failure" | "unknown", event: string): void {
    if (this.isTold) return;
    this.isTold = true;
    this.client.stop();
    this.server.stop();
    const text = (name: string, value: string | null | undefined) =>
      value == null || value === "" ? [] : [[name, value] as const];
    const { version, cipher, certificate } = this;
    this.tell({
      what: "tls",
      timeUs: this.beganUs,
      event,
      outcome,
      ...this.ends,
      protocol: TCP,
      addresses: [],
      values: [
        ...text("server name", this.serverName),
        ...text("version", version === null ? null : versionName(version)),
        ...text("version offered", this.offered === null ? null : versionName(this.offered)),
        ...text("cipher", cipher === null ? null : cipherName(cipher)),
        ...text("application protocol", this.protocol),
        ...text("certificate subject", certificate?.subject),
        ...text("certificate issuer", certificate?.issuer),
        ...text("certificate from", certificate?.validFrom),
        ...text("certificate to", certificate?.validTo),
        ...text("alert", this.alert),
        ["taken", between(this.beganUs, this.nowUs)],
      ],
    });
  }
}

const textOf = (octets: Uint8Array): string => new TextDecoder("latin1").decode(octets).slice(0, MOST_TEXT);
