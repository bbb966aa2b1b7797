import { ByteReader, DecodeError } from "../../base/bytes/index.js";
import { type EpochUs, US_PER_SECOND } from "../../base/time/index.js";

/** One captured frame. `number` counts from 1, as capture programs show it. */
export interface CapturedFrame {
  readonly number: number;
  /** null where the format carries no time (simple packet blocks). */
  readonly timeUs: EpochUs | null;
  readonly linkType: number;
  readonly bytes: Uint8Array;
  /** Length on the wire; more than `bytes` when the capture cut it. */
  readonly wireLength: number;
}

const MAX_RECORD_BYTES = 16 * 1024 * 1024;
const PCAP_MAGICS = new Map<number, { littleEndian: boolean; nanoseconds: boolean }>([
  [0xa1b2c3d4, { littleEndian: false, nanoseconds: false }],
  [0xd4c3b2a1, { littleEndian: true, nanoseconds: false }],
  [0xa1b23c4d, { littleEndian: false, nanoseconds: true }],
  [0x4d3cb2a1, { littleEndian: true, nanoseconds: true }],
]);
const PCAPNG_SECTION = 0x0a0d0d0a;
const PCAPNG_BYTE_ORDER = 0x1a2b3c4d;

/** Whether a file that starts with these (at least 4) bytes is a capture. */
export function isCapture(start: Uint8Array): boolean {
  if (start.length < 4) return false;
  const magic = new ByteReader(start).u32("magic");
  return PCAP_MAGICS.has(magic) || magic === PCAPNG_SECTION;
}

interface PcapngInterface {
  readonly linkType: number;
  /** Ticks of one second. */
  readonly resolution: number;
}

/**
 * Reads pcap (either byte order, µs or ns) and pcapng in pieces of any size: `push` gives the frames that are complete.
 * Formats: the pcap and pcapng capture file format documents.
 * @throws {DecodeError} from `push` or `end` when the file cannot be read on; frames before it have been given
 */
export class CaptureFile {
  private buffer: Uint8Array = new Uint8Array(0);
  private consumed = 0;
  private format: "unknown" | "pcap" | "pcapng" = "unknown";
  private littleEndian = false;
  private nanoseconds = false;
  private linkType = 0;
  private interfaces: PcapngInterface[] = [];
  private frames = 0;

  *push(chunk: Uint8Array): Generator<CapturedFrame> {
    this.buffer = this.buffer.length === 0 ? chunk : concat(this.buffer, chunk);
    let at = 0;
    for (;;) {
      const rest = this.buffer.subarray(at);
      const step =
        this.format === "unknown"
          ? this.readStart(rest)
          : this.format === "pcap"
            ? this.readPcap(rest)
            : this.readBlock(rest);
      if (step === null) break;
      at += step.length;
      this.consumed += step.length;
      if (step.frame) yield step.frame;
    }
    this.buffer = this.buffer.slice(at);
  }

  end(): void {
    if (this.buffer.length > 0 || this.format === "unknown")
      throw new DecodeError(
        "TRUNCATED",
        this.consumed,
        `capture: the file ends inside ${this.format === "unknown" ? "its header" : `frame ${this.frames + 1}`}, ${this.buffer.length} bytes after byte ${this.consumed}`,
      );
  }

  private readStart(rest: Uint8Array): { length: number; frame?: CapturedFrame } | null {
    if (rest.length < 4) return null;
    const magic = new ByteReader(rest).u32("magic");
    if (magic === PCAPNG_SECTION) {
      this.format = "pcapng";
      return { length: 0 };
    }
    const found = PCAP_MAGICS.get(magic);
    if (!found)
      throw new DecodeError(
        "BAD_MAGIC",
        0,
        `capture: expected a pcap or pcapng file, got 0x${magic.toString(16).padStart(8, "0")}`,
      );
    if (rest.length < 24) return null;
    this.littleEndian = found.littleEndian;
    this.nanoseconds = found.nanoseconds;
    const r = new ByteReader(rest, this.littleEndian);
    r.skip(20, "file header");
    this.linkType = r.u32("link type") & 0xffff;
    this.format = "pcap";
    return { length: 24 };
  }

  private readPcap(rest: Uint8Array): { length: number; frame: CapturedFrame } | null {
    if (rest.length < 16) return null;
    const r = new ByteReader(rest, this.littleEndian, this.consumed);
    const seconds = r.u32("seconds");
    const fraction = r.u32("fraction");
    const length = r.u32("captured length");
    const wireLength = r.u32("wire length");
    this.checkLength(length);
    if (r.left < length) return null;
    const timeUs = seconds * US_PER_SECOND + (this.nanoseconds ? Math.floor(fraction / 1000) : fraction);
    const frame = {
      number: ++this.frames,
      timeUs,
      linkType: this.linkType,
      bytes: r.slice(length, "frame"),
      wireLength,
    };
    return { length: 16 + length, frame };
  }

  private readBlock(rest: Uint8Array): { length: number; frame?: CapturedFrame } | null {
    if (rest.length < 12) return null;
    let r = new ByteReader(rest, this.littleEndian, this.consumed);
    const type = r.u32("block type");
    if (type === PCAPNG_SECTION) {
      // the byte order of a section is told by its own magic
      const big = new ByteReader(rest.subarray(8)).u32("byte-order magic");
      if (
        big !== PCAPNG_BYTE_ORDER &&
        new ByteReader(rest.subarray(8), true).u32("byte-order magic") !== PCAPNG_BYTE_ORDER
      )
        throw new DecodeError(
          "BAD_MAGIC",
          this.consumed + 8,
          `section header: expected byte-order magic, got 0x${big.toString(16)}`,
        );
      this.littleEndian = big !== PCAPNG_BYTE_ORDER;
      this.interfaces = [];
      r = new ByteReader(rest, this.littleEndian, this.consumed);
      r.skip(4, "block type");
    }
    const length = r.u32("block length");
    this.checkLength(length);
    if (length < 12 || length % 4 !== 0)
      throw new DecodeError(
        "BAD_LENGTH",
        this.consumed + 4,
        `block length: expected a multiple of 4 of at least 12, got ${length}`,
      );
    if (rest.length < length) return null;
    const body = r.sub(length - 12, "block body");
    switch (type) {
      case 1:
        this.readInterface(body);
        return { length };
      case 2:
      case 6:
        return { length, frame: this.readPacket(body, type === 2) };
      case 3:
        return { length, frame: this.readSimplePacket(body) };
      default:
        return { length };
    }
  }

  private readInterface(body: ByteReader): void {
    const linkType = body.u16("link type");
    body.skip(6, "reserved, snap length");
    let resolution = US_PER_SECOND;
    while (body.left >= 4) {
      const code = body.u16("option code");
      const length = body.u16("option length");
      if (code === 0) break;
      const value = body.sub(length, "option value");
      body.skip(Math.min(body.left, (4 - (length % 4)) % 4), "option padding");
      if (code === 9 && length >= 1) {
        const exponent = value.u8("time resolution");
        resolution = exponent & 0x80 ? 2 ** (exponent & 0x7f) : 10 ** exponent;
      }
    }
    this.interfaces.push({ linkType, resolution });
  }

  private readPacket(body: ByteReader, obsolete: boolean): CapturedFrame {
    const start = body.offset;
    const id = obsolete ? body.u16("interface") : body.u32("interface");
    if (obsolete) body.skip(2, "drops");
    const high = body.u32("time, high");
    const low = body.u32("time, low");
    const length = body.u32("captured length");
    const wireLength = body.u32("wire length");
    const from = this.interfaces[id];
    if (!from) throw new DecodeError("BAD_HEADER", start, `packet block: interface ${id} is not described before it`);
    // exact: seconds and the rest apart, since ticks may exceed 2^53
    const ticks = (BigInt(high) << 32n) | BigInt(low);
    const perSecond = BigInt(from.resolution);
    const timeUs =
      Number(ticks / perSecond) * US_PER_SECOND + Number(((ticks % perSecond) * BigInt(US_PER_SECOND)) / perSecond);
    return { number: ++this.frames, timeUs, linkType: from.linkType, bytes: body.slice(length, "frame"), wireLength };
  }

  private readSimplePacket(body: ByteReader): CapturedFrame {
    const wireLength = body.u32("wire length");
    const linkType = this.interfaces[0]?.linkType ?? 1;
    return {
      number: ++this.frames,
      timeUs: null,
      linkType,
      bytes: body.slice(Math.min(wireLength, body.left), "frame"),
      wireLength,
    };
  }

  private checkLength(length: number): void {
    if (length > MAX_RECORD_BYTES)
      throw new DecodeError(
        "BAD_LENGTH",
        this.consumed,
        `capture: frame ${this.frames + 1} claims ${length} bytes; at most ${MAX_RECORD_BYTES} are read`,
      );
  }
}

function concat(a: Uint8Array, b: Uint8Array): Uint8Array {
  const out = new Uint8Array(a.length + b.length);
  out.set(a);
  out.set(b, a.length);
  return out;
}
