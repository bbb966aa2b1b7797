import { bytes } from "./bytes.js";

/** Link types of the test packets. */
export const RAW_IP = 101;
export const ETHERNET = 1;
export const FLAG = { fin: 1, syn: 2, rst: 4, ack: 16 } as const;

/** An IPv4 packet (RFC 791), without checksum. */
export const ipv4 = (
  src: string,
  dst: string,
  protocol: number,
  payload: Uint8Array,
  { tos = 0, id = 7, offset = 0, more = false } = {},
): Uint8Array =>
  bytes()
    .u8(0x45, tos)
    .u16(20 + payload.length, id, (more ? 0x2000 : 0) | (offset / 8))
    .u8(64, protocol)
    .u16(0)
    .ip(src)
    .ip(dst)
    .raw(payload)
    .done();

/** A UDP datagram (RFC 768). */
export const udp = (srcPort: number, dstPort: number, data: Uint8Array): Uint8Array =>
  bytes()
    .u16(srcPort, dstPort, 8 + data.length, 0)
    .raw(data)
    .done();

/** A TCP segment (RFC 9293). */
export const tcp = (srcPort: number, dstPort: number, sequence: number, flags: number, data: Uint8Array): Uint8Array =>
  bytes().u16(srcPort, dstPort).u32(sequence, 0).u8(0x50, flags).u16(1_000, 0, 0).raw(data).done();

export interface TestEnd {
  readonly address: string;
  readonly port: number;
}

/** Packets of one TCP connection, the client's and the server's, with their sequence numbers kept. */
export class TestConnection {
  private readonly next = { client: 1_000, server: 5_000 };

  constructor(
    private readonly client: TestEnd,
    private readonly server: TestEnd,
  ) {}

  send(from: "client" | "server", flags: number, text: string | Uint8Array = ""): Uint8Array {
    const data = typeof text === "string" ? new TextEncoder().encode(text) : text;
    const [a, b] = from === "client" ? [this.client, this.server] : [this.server, this.client];
    const packet = ipv4(a.address, b.address, 6, tcp(a.port, b.port, this.next[from], flags, data));
    this.next[from] += data.length + ((flags & (FLAG.syn | FLAG.fin)) !== 0 ? 1 : 0);
    return packet;
  }

  /** The three packets that make it. */
  handshake(): Uint8Array[] {
    return [this.send("client", FLAG.syn), this.send("server", FLAG.syn | FLAG.ack), this.send("client", FLAG.ack)];
  }

  goodbye(): Uint8Array[] {
    return [
      this.send("client", FLAG.fin | FLAG.ack),
      this.send("server", FLAG.fin | FLAG.ack),
      this.send("client", FLAG.ack),
    ];
  }
}

/** A name as DNS writes it, without compression (RFC 1035 section 3.1). */
export const dnsName = (name: string): Uint8Array => {
  const o = bytes();
  if (name !== ".") for (const label of name.split(".")) o.u8(label.length).text(label);
  return o.u8(0).done();
};

export interface DnsParts {
  readonly id: number;
  readonly name: string;
  readonly type?: number;
  /** Of an answer: its code, and its records of the question's name. */
  readonly code?: number;
  readonly answers?: readonly { readonly type: number; readonly data: Uint8Array }[];
}

/** A question, or its answer where there is a code (RFC 1035 section 4). Names of answers point to the question. */
export function dns({ id, name, type = 1, code, answers = [] }: DnsParts): Uint8Array {
  const o = bytes()
    .u16(id, code === undefined ? 0x0100 : 0x8180 | code, 1, answers.length, 0, 0)
    .raw(dnsName(name))
    .u16(type, 1);
  for (const a of answers) o.u16(0xc00c, a.type, 1).u32(300).u16(a.data.length).raw(a.data);
  return o.done();
}
