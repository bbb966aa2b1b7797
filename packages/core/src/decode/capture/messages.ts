import { ByteReader, DecodeError, type DecodeProblem } from "../../base/bytes/index.js";
import type { EpochUs } from "../../base/time/index.js";
import { flowProtocol } from "../flow/index.js";
import { looksLikeSnmp } from "../snmp/index.js";
import { type Frame, SyslogFraming } from "../syslog/index.js";
import { type CapturedFrame, CaptureFile } from "./capture-file.js";
import { looksLikeSyslog, looksLikeSyslogStream } from "./content.js";
import { Fragments } from "./fragments.js";
import { readPacket } from "./packet.js";
import { type StreamPiece, TcpStreams } from "./tcp-streams.js";

/** A message found in a capture, or what could not be read and why. */
export type CapturedMessage =
  | {
      readonly type: "message";
      readonly protocol: "syslog" | "snmp" | "flow" | "packet";
      readonly frame: number;
      readonly timeUs: EpochUs | null;
      readonly src: string;
      readonly transport: "udp" | "tcp";
      readonly bytes: Uint8Array;
      /** Its stream ended inside it. */
      readonly cut?: boolean;
    }
  | { readonly type: "problem"; readonly frame: number; readonly problem: DecodeProblem };

const UDP = 17;
const TCP = 6;
const MAX_FRAME_BYTES = 1024 * 1024;

/**
 * The messages in a capture, in order, told by content rather than by port. Fragments and TCP streams are put together;
 * a message is given with the number of the frame that completed it. Frames of other protocols are counted as `other`.
 */
export class CaptureMessages {
  private readonly file = new CaptureFile();
  private readonly fragments = new Fragments();
  private readonly streams = new TcpStreams();
  private readonly framings = new Map<string, SyslogFraming | "other">();
  /** First bytes of streams too short to tell what they carry: a few bytes each. */
  private readonly beginnings = new Map<string, Uint8Array>();
  private lastFrame = 0;
  /** Frames that hold no message Halvik reads: handshakes, other protocols, other traffic. */
  other = 0;

  *push(chunk: Uint8Array): Generator<CapturedMessage> {
    try {
      for (const frame of this.file.push(chunk)) {
        this.lastFrame = frame.number;
        yield* this.frame(frame);
      }
    } catch (e) {
      yield this.asProblem(e, this.lastFrame + 1);
      throw e;
    }
  }

  *end(): Generator<CapturedMessage> {
    for (const [name, framing] of this.framings) {
      const rest = framing === "other" ? null : framing.end();
      if (rest)
        yield {
          type: "problem",
          frame: this.lastFrame,
          problem: {
            code: "TRUNCATED",
            offset: 0,
            message: `TCP stream ${name}: the capture ends inside a message, ${rest.bytes.length} bytes of it came`,
          },
        };
    }
    if (this.fragments.open > 0)
      yield {
        type: "problem",
        frame: this.lastFrame,
        problem: {
          code: "TRUNCATED",
          offset: 0,
          message: `${this.fragments.open} fragmented packets never became whole`,
        },
      };
    try {
      this.file.end();
    } catch (e) {
      yield this.asProblem(e, this.lastFrame + 1);
    }
  }

  private asProblem(e: unknown, frame: number): CapturedMessage {
    if (!(e instanceof DecodeError)) throw e;
    return { type: "problem", frame, problem: { code: e.code, offset: e.offset, message: e.message } };
  }

  private *frame(frame: CapturedFrame): Generator<CapturedMessage> {
    try {
      const part = readPacket(frame.linkType, frame.bytes);
      const packet = part && this.fragments.add(part);
      if (packet === null) this.other++;
      else if (packet.protocol === UDP) yield* this.datagram(frame, packet.src, packet.payload);
      else if (packet.protocol === TCP) for (const piece of this.streams.add(packet)) yield* this.piece(frame, piece);
      else this.other++;
    } catch (e) {
      yield this.asProblem(e, frame.number);
    }
  }

  private *datagram(frame: CapturedFrame, src: string, payload: Uint8Array): Generator<CapturedMessage> {
    const r = new ByteReader(payload);
    r.skip(4, "UDP ports");
    const length = r.u16("UDP length");
    r.skip(2, "UDP checksum");
    // RFC 768: the length includes the 8 octets of the header; what follows it in the frame is padding
    const bytes = r.slice(Math.max(0, length - 8), "UDP data");
    const protocol = flowProtocol(bytes)
      ? "flow"
      : looksLikeSnmp(bytes)
        ? "snmp"
        : looksLikeSyslog(bytes)
          ? "syslog"
          : null;
    if (protocol === null)
      yield {
        type: "problem",
        frame: frame.number,
        problem: {
          code: "UNKNOWN_KIND",
          offset: 0,
          message: `UDP data: expected syslog, SNMP or flow records, got ${bytes.length} bytes that are none of them`,
        },
      };
    else yield { type: "message", protocol, frame: frame.number, timeUs: frame.timeUs, src, transport: "udp", bytes };
  }

  private *piece(frame: CapturedFrame, piece: StreamPiece): Generator<CapturedMessage> {
    let framing = this.framings.get(piece.stream);
    let { bytes } = piece;
    if (framing === undefined) {
      bytes = joined(this.beginnings.get(piece.stream), bytes);
      const told = bytes.length === 0 ? "more" : looksLikeSyslogStream(bytes);
      if (told === "more" && !piece.ended) {
        this.beginnings.set(piece.stream, bytes);
        return;
      }
      this.beginnings.delete(piece.stream);
      framing = told === "yes" ? new SyslogFraming(MAX_FRAME_BYTES) : "other";
      this.framings.set(piece.stream, framing);
      if (framing === "other" && bytes.length > 0)
        yield {
          type: "problem",
          frame: frame.number,
          problem: {
            code: "UNKNOWN_KIND",
            offset: 0,
            message: `TCP stream ${piece.stream}: expected syslog, got something else; the stream is not read`,
          },
        };
    }
    if (framing === "other") {
      this.other++;
      if (piece.ended) this.framings.delete(piece.stream);
      return;
    }
    if (piece.missing > 0)
      yield {
        type: "problem",
        frame: frame.number,
        problem: {
          code: "TRUNCATED",
          offset: 0,
          message: `TCP stream ${piece.stream}: ${piece.missing} bytes are missing from the capture`,
        },
      };
    const message = ({ bytes, lostBytes, missingBytes }: Frame): CapturedMessage => ({
      type: "message",
      protocol: "syslog",
      frame: frame.number,
      timeUs: frame.timeUs,
      src: piece.src,
      transport: "tcp",
      bytes,
      ...(lostBytes > 0 || missingBytes > 0 ? { cut: true } : {}),
    });
    for (const complete of framing.push(bytes)) yield message(complete);
    if (framing.fault) {
      yield {
        type: "problem",
        frame: frame.number,
        problem: { code: framing.fault.code, offset: 0, message: framing.fault.message },
      };
      this.framings.set(piece.stream, "other");
    } else if (piece.ended) {
      const rest = framing.end();
      if (rest) yield message(rest);
      this.framings.delete(piece.stream);
    }
  }
}

function joined(before: Uint8Array | undefined, bytes: Uint8Array): Uint8Array {
  if (before === undefined) return bytes;
  const out = new Uint8Array(before.length + bytes.length);
  out.set(before);
  out.set(bytes, before.length);
  return out;
}
