import { type DecodeCode, DecodeError } from "../../base/bytes/index.js";
import type { EpochUs } from "../../base/time/index.js";
import { type CapturedMessage, CaptureFile } from "../capture/index.js";
import { type Observation, PacketReader, type PacketReaderOptions, writeObservation } from "../packets/index.js";
import { FlowMeter } from "./flow-meter.js";
import { readHeaders } from "./packet-headers.js";
import { IpfixWriter } from "./write-ipfix.js";

/** Flows are handed on when so many are over. */
const AT_ONCE = 500;

/** A capture as an exporter would have told of it: its packets become flow records, and what they say of questions, requests and handshakes records of their own. */
export class MeteredCapture {
  private readonly file = new CaptureFile();
  private meter = new FlowMeter();
  private readonly writer: IpfixWriter;
  private reader: PacketReader;
  private waiting: ReturnType<FlowMeter["take"]> = [];
  private lastFrame = 0;
  private lastUs: EpochUs = 0;

  /** @param exporter the address its flows come from @param domain tells this capture's stream from others of it */
  constructor(
    private readonly exporter: string,
    domain: number,
    private readonly options: PacketReaderOptions & { readonly mostBytes?: number },
  ) {
    this.writer = new IpfixWriter(domain, options.mostBytes);
    this.reader = new PacketReader(options);
  }

  *push(chunk: Uint8Array): Generator<CapturedMessage> {
    try {
      for (const frame of this.file.push(chunk)) {
        this.lastFrame = frame.number;
        if (frame.timeUs === null) {
          yield problem(frame.number, "BAD_TIMESTAMP", 0, "the frame has no time: its flow cannot be placed");
          continue;
        }
        this.lastUs = Math.max(this.lastUs, frame.timeUs);
        try {
          const headers = readHeaders(frame.linkType, frame.bytes);
          if (headers !== null) this.meter.add(frame.timeUs, headers);
          this.reader.add(frame.timeUs, frame.linkType, frame.bytes);
        } catch (e) {
          if (!(e instanceof DecodeError)) throw e;
          yield problem(frame.number, e.code, e.offset, e.message);
        }
        yield* this.observed(this.reader.take());
        this.waiting.push(...this.meter.take());
        if (this.waiting.length >= AT_ONCE) yield* this.tell();
      }
    } catch (e) {
      if (e instanceof DecodeError) yield problem(this.lastFrame + 1, e.code, e.offset, e.message);
      throw e;
    }
  }

  /** Time goes on, whether packets come or not: what is over is told of. */
  *pass(nowUs: EpochUs): Generator<CapturedMessage> {
    this.lastUs = Math.max(this.lastUs, nowUs);
    this.reader.pass(nowUs);
    this.meter.pass(nowUs);
    yield* this.observed(this.reader.take());
    this.waiting.push(...this.meter.take());
    yield* this.tell();
  }

  /** The clock was set back: what was open is told of, and what comes now is measured by itself. */
  *renew(): Generator<CapturedMessage> {
    yield* this.finish();
    this.meter = new FlowMeter();
    this.reader = new PacketReader(this.options);
    this.lastUs = 0;
  }

  *end(): Generator<CapturedMessage> {
    yield* this.finish();
    try {
      this.file.end();
    } catch (e) {
      if (!(e instanceof DecodeError)) throw e;
      yield problem(this.lastFrame + 1, e.code, e.offset, e.message);
    }
  }

  private *finish(): Generator<CapturedMessage> {
    yield* this.observed(this.reader.end());
    this.waiting.push(...this.meter.end());
    yield* this.tell();
  }

  private *observed(told: readonly Observation[]): Generator<CapturedMessage> {
    for (const o of told)
      yield {
        type: "message",
        protocol: "packet",
        frame: this.lastFrame,
        timeUs: o.timeUs,
        src: this.exporter,
        transport: "udp",
        bytes: writeObservation(o),
      };
  }

  private *tell(): Generator<CapturedMessage> {
    const flows = this.waiting;
    this.waiting = [];
    for (const bytes of this.writer.write(flows, this.lastUs))
      yield {
        type: "message",
        protocol: "flow",
        frame: this.lastFrame,
        timeUs: this.lastUs,
        src: this.exporter,
        transport: "udp",
        bytes,
      };
  }
}

const problem = (frame: number, code: DecodeCode, offset: number, message: string): CapturedMessage => ({
  type: "problem",
  frame,
  problem: { code, offset, message },
});
