import { ipv4Packet } from "@halvik/core/decode/capture";
import { Octets } from "./octets.js";

/** A packet and when it went by. */
export interface SentPacket {
  readonly atUs: number;
  readonly packet: Uint8Array;
}

interface End {
  readonly address: string;
  readonly port: number;
}

const [FIN, SYN, RST, ACK] = [1, 2, 4, 16];
const TCP = 6;
const UDP = 17;
/** Octets of data a segment holds. */
const MOST_DATA = 1_400;

/** A TCP connection as somebody in between sees it: its packets, with the sequence numbers both sides count. */
export class Conversation {
  readonly sent: SentPacket[] = [];
  private readonly next = { client: 1_000, server: 9_000 };

  /** @param tripUs from one side to the other and back */
  constructor(
    private readonly client: End,
    private readonly server: End,
    private readonly tripUs: number,
    public atUs: number,
  ) {
    this.send("client", SYN);
    this.atUs += tripUs;
    this.send("server", SYN | ACK);
    this.send("client", ACK);
  }

  /** Data of one side, after a while. */
  say(from: "client" | "server", data: Uint8Array, afterUs = 0): this {
    this.atUs += afterUs;
    for (let at = 0; at < data.length; at += MOST_DATA) this.send(from, ACK, data.subarray(at, at + MOST_DATA));
    return this;
  }

  close(afterUs = 0): this {
    this.atUs += afterUs;
    this.send("client", FIN | ACK);
    this.atUs += this.tripUs;
    this.send("server", FIN | ACK);
    this.send("client", ACK);
    return this;
  }

  reset(from: "client" | "server"): this {
    this.send(from, RST | ACK);
    return this;
  }

  private send(from: "client" | "server", flags: number, data: Uint8Array = new Uint8Array(0)): void {
    const [a, b] = from === "client" ? [this.client, this.server] : [this.server, this.client];
    const segment = new Octets()
      .u16(a.port)
      .u16(b.port)
      .u32(this.next[from])
      .u32(flags === SYN ? 0 : this.next[from === "client" ? "server" : "client"])
      .u8(0x50)
      .u8(flags)
      .u16(64_000)
      .u32(0)
      .raw(data)
      .done();
    this.sent.push({ atUs: this.atUs, packet: ipv4Packet(a.address, b.address, TCP, segment) });
    this.atUs += 40;
    this.next[from] += data.length + ((flags & (SYN | FIN)) !== 0 ? 1 : 0);
  }
}

/** A UDP datagram as an IP packet. */
export const datagram = (src: string, srcPort: number, dst: string, dstPort: number, data: Uint8Array): Uint8Array =>
  ipv4Packet(
    src,
    dst,
    UDP,
    new Octets()
      .u16(srcPort)
      .u16(dstPort)
      .u16(8 + data.length)
      .u16(0)
      .raw(data)
      .done(),
  );

const text = (value: string): Uint8Array => new TextEncoder().encode(value);

/** A message of DNS for an address (RFC 1035 section 4): the question, or its answer where there is a code. */
export function dnsMessage(id: number, name: string, code: number | null, address: string | null): Uint8Array {
  const o = new Octets()
    .u16(id)
    .u16(code === null ? 0x0100 : 0x8180 | code)
    .u16(1)
    .u16(address === null ? 0 : 1)
    .u32(0);
  for (const label of name.split(".")) o.u8(label.length).raw(text(label));
  o.u8(0).u16(1).u16(1);
  if (address !== null) o.u16(0xc00c).u16(1).u16(1).u32(300).u16(4).ip(address);
  return o.done();
}

export const httpRequest = (method: string, host: string, path: string): Uint8Array =>
  text(`${method} ${path} HTTP/1.1\r\nHost: ${host}\r\nUser-Agent: Orvane-Kiosk/2.4\r\nAccept: */*\r\n\r\n`);

export const httpAnswer = (status: number, type: string, bytes: number): Uint8Array =>
  text(
    `HTTP/1.1 ${status} ${status < 400 ? "OK" : "Trouble"}\r\nContent-Type: ${type}\r\nContent-Length: ${bytes}\r\n\r\n${"x".repeat(bytes)}`,
  );

const [CLIENT_HELLO, SERVER_HELLO, CERTIFICATE] = [1, 2, 11];
const TLS_1_2 = 0x0303;
const TLS_1_3 = 0x0304;

const record = (type: number, body: Uint8Array): Uint8Array =>
  new Octets().u8(type).u16(TLS_1_2).u16(body.length).raw(body).done();
const handshake = (type: number, body: Uint8Array): Uint8Array =>
  record(22, new Octets().u8(type).u8(0).u16(body.length).raw(body).done());
const extension = (type: number, body: Uint8Array): Uint8Array =>
  new Octets().u16(type).u16(body.length).raw(body).done();

/** RFC 8446 section 4.1.2, with the name of the server (RFC 6066 section 3). */
export function clientHello(name: string, newest: number): Uint8Array {
  const server = new Octets()
    .u16(name.length + 3)
    .u8(0)
    .u16(name.length)
    .raw(text(name))
    .done();
  const versions =
    newest === TLS_1_3 ? extension(43, new Octets().u8(4).u16(TLS_1_3).u16(TLS_1_2).done()) : new Uint8Array(0);
  const named = extension(0, server);
  const body = new Octets()
    .u16(Math.min(newest, TLS_1_2))
    .raw(new Uint8Array(32).fill(7))
    .u8(0)
    .u16(4)
    .u16(0x1301)
    .u16(0xc02f)
    .u8(1)
    .u8(0)
    .u16(named.length + versions.length)
    .raw(named)
    .raw(versions);
  return handshake(CLIENT_HELLO, body.done());
}

/** RFC 8446 section 4.1.3. */
export function serverHello(version: number): Uint8Array {
  const versions = version === TLS_1_3 ? extension(43, new Octets().u16(TLS_1_3).done()) : new Uint8Array(0);
  const body = new Octets()
    .u16(Math.min(version, TLS_1_2))
    .raw(new Uint8Array(32).fill(9))
    .u8(0)
    .u16(version === TLS_1_3 ? 0x1301 : 0xc02f)
    .u8(0);
  if (versions.length > 0) body.u16(versions.length).raw(versions);
  return handshake(SERVER_HELLO, body.done());
}

const der = (tag: number, ...parts: readonly Uint8Array[]): Uint8Array => {
  const length = parts.reduce((n, p) => n + p.length, 0);
  const o = new Octets().u8(tag);
  if (length < 128) o.u8(length);
  else o.u8(0x82).u16(length);
  for (const part of parts) o.raw(part);
  return o.done();
};
const nameOf = (commonName: string): Uint8Array =>
  der(0x30, der(0x31, der(0x30, der(0x06, Uint8Array.of(0x55, 4, 3)), der(0x0c, text(commonName)))));

/** A chain of one certificate (RFC 5280 section 4.1, RFC 5246 section 7.4.2), its key and signature left out. @param validity YYMMDD */
export function certificate(
  subject: string,
  issuer: string,
  validity: readonly [from: string, to: string],
): Uint8Array {
  const time = (day: string) => der(0x17, text(`${day}120000Z`));
  const signed = der(
    0x30,
    der(0x02, Uint8Array.of(5)),
    der(0x30),
    nameOf(issuer),
    der(0x30, time(validity[0]), time(validity[1])),
    nameOf(subject),
  );
  const whole = der(0x30, signed);
  return handshake(
    CERTIFICATE,
    new Octets()
      .u8(0)
      .u16(whole.length + 3)
      .u8(0)
      .u16(whole.length)
      .raw(whole)
      .done(),
  );
}

export const changeCipherSpec = (): Uint8Array => record(20, Uint8Array.of(1));
export const encrypted = (octets: number): Uint8Array => record(23, new Uint8Array(octets));
/** RFC 8446 section 6.2. */
export const fatalAlert = (alert: number): Uint8Array => record(21, Uint8Array.of(2, alert));
