import { type EpochUs, US_PER_MS, US_PER_SECOND } from "../../base/time/index.js";
import type { MeteredFlow } from "./flow-meter.js";

/** Enterprise number of elements of the way back (RFC 5103 section 6.1). */
const REVERSE = 29_305;
const ENTERPRISE = 0x8000;

/** Element and length, in the order they are written (IANA IPFIX registry); of the reverse ones the number forward. */
type Field = readonly [element: number, length: number, reverse?: true];
const COMMON: readonly Field[] = [
  [7, 2],
  [11, 2],
  [4, 1],
  [5, 1],
  [6, 2],
  [1, 8],
  [2, 8],
  [152, 8],
  [153, 8],
  [58, 2],
  [136, 1],
  [1, 8, true],
  [2, 8, true],
  [6, 2, true],
];
const V4: readonly Field[] = [[8, 4], [12, 4], ...COMMON];
const V6: readonly Field[] = [[27, 16], [28, 16], ...COMMON];
const TEMPLATES = [
  { id: 256, fields: V4 },
  { id: 257, fields: V6 },
] as const;

const HEADER_BYTES = 16;
/** Header, both templates and the heads of the sets. */
const TEMPLATE_BYTES = 400;
const MOST_BYTES = 60_000;
const lengthOf = (fields: readonly Field[]): number => fields.reduce((sum, [, length]) => sum + length, 0);

/** Writes flows as an exporter would tell of them (RFC 7011, with both ways as RFC 5103): each message has its templates with it. */
export class IpfixWriter {
  private sequence = 0;

  /** @param mostBytes of a message: over a network, what fits a packet */
  constructor(
    private readonly domain: number,
    private readonly mostBytes = MOST_BYTES,
  ) {}

  /** @param atUs when it is exported */
  *write(flows: readonly MeteredFlow[], atUs: EpochUs): Generator<Uint8Array> {
    const most = Math.max(1, Math.floor((this.mostBytes - TEMPLATE_BYTES) / lengthOf(V6)));
    for (let at = 0; at < flows.length; at += most) yield this.message(flows.slice(at, at + most), atUs);
  }

  private message(flows: readonly MeteredFlow[], atUs: EpochUs): Uint8Array {
    const bytes = new Uint8Array(MOST_BYTES);
    const view = new DataView(bytes.buffer);
    let at = HEADER_BYTES;
    const set = (id: number, body: () => void): void => {
      const start = at;
      view.setUint16(at, id);
      at += 4;
      body();
      view.setUint16(start + 2, at - start);
    };
    set(2, () => {
      for (const { id, fields } of TEMPLATES) {
        view.setUint16(at, id);
        view.setUint16(at + 2, fields.length);
        at += 4;
        for (const [element, length, reverse] of fields) {
          view.setUint16(at, reverse ? ENTERPRISE | element : element);
          view.setUint16(at + 2, length);
          at += 4;
          if (reverse) {
            view.setUint32(at, REVERSE);
            at += 4;
          }
        }
      }
    });
    for (const [i, octets] of [4, 16].entries()) {
      const of = flows.filter((f) => f.src.length === octets);
      if (of.length > 0)
        set(TEMPLATES[i]!.id, () => {
          for (const f of of) at = writeFlow(view, bytes, at, f);
        });
    }
    view.setUint16(0, 10);
    view.setUint16(2, at);
    view.setUint32(4, Math.floor(atUs / US_PER_SECOND) >>> 0);
    view.setUint32(8, this.sequence);
    view.setUint32(12, this.domain);
    this.sequence = (this.sequence + flows.length) % 2 ** 32;
    return bytes.slice(0, at);
  }
}

function writeFlow(view: DataView, bytes: Uint8Array, start: number, f: MeteredFlow): number {
  let at = start;
  const u8 = (n: number): void => {
    view.setUint8(at, n);
    at += 1;
  };
  const u16 = (n: number): void => {
    view.setUint16(at, n);
    at += 2;
  };
  const u64 = (n: number): void => {
    view.setBigUint64(at, BigInt(Math.max(0, n)));
    at += 8;
  };
  bytes.set(f.src, at);
  bytes.set(f.dst, at + f.src.length);
  at += 2 * f.src.length;
  u16(f.srcPort);
  u16(f.dstPort);
  u8(f.protocol);
  u8(f.tos);
  u16(f.tcpFlags);
  u64(f.bytes);
  u64(f.packets);
  u64(Math.floor(f.startUs / US_PER_MS));
  u64(Math.floor(f.endUs / US_PER_MS));
  u16(f.vlan ?? 0);
  u8(f.endReason);
  u64(f.reverseBytes);
  u64(f.reversePackets);
  u16(f.reverseTcpFlags);
  return at;
}
