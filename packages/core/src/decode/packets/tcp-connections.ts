import { DecodeError, joined } from "../../base/bytes/index.js";
import { AgedMap } from "../../base/collections/index.js";
import { addressFromBytes, addressKey } from "../../base/net/index.js";
import { type EpochUs, US_PER_MINUTE, US_PER_SECOND } from "../../base/time/index.js";
import { type OrderedPiece, readSegment, SegmentOrder, TCP_FLAG } from "../capture/index.js";
import { DnsConversation } from "./dns-conversation.js";
import { DNS_PORT, type DnsExchanges } from "./dns-exchanges.js";
import { type Ends, type StreamContent, type Tell, turned } from "./ends.js";
import { HttpExchanges } from "./http-exchanges.js";
import { between } from "./observation.js";
import { recogniseContent } from "./recognise-content.js";
import { TlsHandshake } from "./tls-handshakes.js";

const TCP = 6;
const NOTHING = new Uint8Array(0);
/** Systems ask again after 1, 3, 7 and 15 s (common practice, no source). */
const NO_ANSWER_US = 20 * US_PER_SECOND;
const QUIET_US = 5 * US_PER_MINUTE;
const SWEEP_US = 5 * US_PER_SECOND;
const MOST_CONNECTIONS = 20_000;
/** Octets held for all of them together, while something before them is missing or a message is not whole. */
const MOST_HELD = 64 * 1024 * 1024;
const MOST_HELD_EACH = 256 * 1024;

/** What is read of a connection; null: nothing has told yet what it carries; "other": nothing of it is read. */
type Content = StreamContent | "other" | null;

interface Connection {
  readonly key: string;
  /** The keys of what the client sends, and of what the server does. */
  clientKey: string;
  serverKey: string;
  /** The client first: who sent the first SYN, or the first request. */
  ends: Ends;
  readonly beganUs: EpochUs;
  /** Its beginning was seen. */
  readonly isWhole: boolean;
  answeredUs: EpochUs | null;
  lastUs: EpochUs;
  asked: number;
  readonly orders: { there: SegmentOrder | null; back: SegmentOrder | null };
  readonly bytes: { there: number; back: number };
  readonly ended: { there: boolean; back: boolean };
  content: Content;
  /** First octets, too few to tell what they begin. */
  beginning: Uint8Array;
  held: number;
}

/** A TCP segment as it was captured. */
export interface CapturedSegment {
  /** 4 or 16 octets each, within the frame. */
  readonly src: Uint8Array;
  readonly dst: Uint8Array;
  /** Header and data, as far as they were captured. */
  readonly payload: Uint8Array;
  /** Octets of it that were not. */
  readonly cut: number;
}

/** Connections of TCP, and what they carry where that is HTTP/1, TLS or DNS, told by their first octets. Bounded: the oldest gives way and is counted. */
export class TcpConnections {
  private readonly open = new AgedMap<string, Connection>();
  private held = 0;
  private nowUs: EpochUs = Number.NEGATIVE_INFINITY;
  private sweptUs: EpochUs = Number.NEGATIVE_INFINITY;
  evicted = 0;

  constructor(
    private readonly dns: DnsExchanges,
    private readonly keepsQueries: boolean,
    private readonly tell: Tell,
  ) {}

  /** @throws {DecodeError} when its header is not there */
  add(timeUs: EpochUs, packet: CapturedSegment): void {
    const s = readSegment(packet.payload);
    this.pass(timeUs);
    const isSyn = (s.flags & TCP_FLAG.syn) !== 0;
    const isAnswer = isSyn && (s.flags & TCP_FLAG.ack) !== 0;
    const there = keyOf(packet.src, s.srcPort, packet.dst, s.dstPort);
    const back = keyOf(packet.dst, s.dstPort, packet.src, s.srcPort);
    const octets = s.data.length + packet.cut;
    let c = this.open.get(there) ?? this.open.get(back);
    if (isSyn && !isAnswer) {
      if (c !== undefined && c.answeredUs === null && c.isWhole && c.clientKey === there) c.asked++;
      else {
        if (c !== undefined) this.close(c, "closed", timeUs);
        c = this.begin(there, back, endsOf(packet, s), timeUs, true);
      }
    } else if (c === undefined) {
      // what says nothing of a connection that nobody knows is no beginning: mostly its last acknowledgement
      if (octets === 0 && !isAnswer && (s.flags & TCP_FLAG.rst) === 0) return;
      const ends = endsOf(packet, s);
      c = isAnswer
        ? this.begin(back, there, turned(ends), timeUs, false)
        : this.begin(there, back, ends, timeUs, false);
    }
    const way = c.clientKey === there ? "there" : "back";
    if (isAnswer) c.answeredUs ??= timeUs;
    c.lastUs = timeUs;
    c.orders[way] ??= new SegmentOrder(s.sequence, MOST_HELD_EACH);
    c.bytes[way] += octets;
    if (octets > 0) this.take(timeUs, c, way, c.orders[way].add(s.sequence, s.data, packet.cut));
    if ((s.flags & TCP_FLAG.rst) !== 0) this.reset(c, way, timeUs);
    else if ((s.flags & TCP_FLAG.fin) !== 0) {
      c.ended[way] = true;
      if (c.ended.there && c.ended.back) this.close(c, "closed", timeUs);
    }
    this.account(c);
  }

  /** Time goes on, whether packets come or not. */
  pass(nowUs: EpochUs): void {
    this.nowUs = Math.max(this.nowUs, nowUs);
    if (this.nowUs - this.sweptUs >= SWEEP_US) this.sweep();
  }

  end(): void {
    for (const c of this.open.values()) this.close(c, isUnanswered(c) ? "no answer" : "open", c.lastUs);
  }

  private begin(there: string, back: string, ends: Ends, timeUs: EpochUs, isWhole: boolean): Connection {
    if (this.open.size >= MOST_CONNECTIONS) this.evict();
    const c: Connection = {
      key: there,
      clientKey: there,
      serverKey: back,
      ends,
      beganUs: timeUs,
      isWhole,
      answeredUs: null,
      lastUs: timeUs,
      asked: 1,
      orders: { there: null, back: null },
      bytes: { there: 0, back: 0 },
      ended: { there: false, back: false },
      content: null,
      beginning: NOTHING,
      held: 0,
    };
    this.open.set(c.key, c);
    return c;
  }

  private take(timeUs: EpochUs, c: Connection, from: "there" | "back", pieces: readonly OrderedPiece[]): void {
    let way = from;
    for (const piece of pieces) {
      let { bytes } = piece;
      if (c.content === null) {
        // whoever asks is the client of what was met in its middle
        if (way === "back" && !c.isWhole && ["http", "tls"].includes(recogniseContent(bytes))) {
          turn(c);
          way = "there";
        }
        if (way === "there" && c.beginning.length > 0) bytes = joined(c.beginning, bytes);
        this.begins(timeUs, c, way, bytes);
      }
      const { content } = c;
      if (content === null || content === "other") continue;
      if (piece.missing > 0) content.miss(timeUs, way === "there", piece.missing);
      try {
        if (!content.isOver) content.push(timeUs, way === "there", bytes);
      } catch (e) {
        if (!(e instanceof DecodeError)) throw e;
        c.content = "other";
      }
      if (content.isOver) c.content = "other";
    }
  }

  /** What a connection carries, by the first octets of who asks. */
  private begins(timeUs: EpochUs, c: Connection, way: "there" | "back", bytes: Uint8Array): void {
    if (c.ends.dstPort === DNS_PORT) c.content = new DnsConversation(c.ends, this.dns);
    else if (way === "there") {
      const told = recogniseContent(bytes);
      c.beginning = told === "more" ? bytes.slice() : NOTHING;
      if (told === "http") c.content = new HttpExchanges(c.ends, this.keepsQueries, this.tell);
      else if (told === "tls") c.content = new TlsHandshake(c.ends, timeUs, this.tell);
      // of a connection met in its middle, another request may begin later
      else if (told === "other" && c.isWhole) c.content = "other";
    }
  }

  private reset(c: Connection, way: "there" | "back", timeUs: EpochUs): void {
    const isRefusal = way === "back" && c.isWhole && c.answeredUs === null;
    this.close(c, isRefusal ? "refused" : "reset", timeUs, way);
  }

  private close(c: Connection, event: string, timeUs: EpochUs, by?: "there" | "back"): void {
    if (!this.open.delete(c.key)) return;
    this.held -= c.held;
    for (const way of ["there", "back"] as const) {
      const { [way]: order } = c.orders;
      if (order !== null && order.held > 0) this.take(timeUs, c, way, order.end());
    }
    if (c.content !== null && c.content !== "other")
      c.content.end(timeUs, c.orders.there !== null && c.orders.back !== null);
    // of what was met in its middle only a reset is news
    if (c.isWhole || event === "reset") this.tellOf(c, event, timeUs, by);
  }

  private tellOf(c: Connection, event: string, timeUs: EpochUs, by?: "there" | "back"): void {
    const failed = event === "refused" || event === "no answer" || event === "reset";
    this.tell({
      what: "tcp",
      timeUs: c.isWhole ? c.beganUs : timeUs,
      event,
      outcome: failed ? "failure" : event === "closed" ? "success" : "unknown",
      ...c.ends,
      protocol: TCP,
      addresses: [],
      values: [
        ...(c.isWhole && c.answeredUs !== null ? [["connect time", between(c.beganUs, c.answeredUs)] as const] : []),
        ...(event === "reset" && by !== undefined
          ? [["by", by === "there" ? "the client" : "the server"] as const]
          : []),
        ["taken", between(c.beganUs, timeUs)],
        ["request bytes", String(c.bytes.there)],
        ["answer bytes", String(c.bytes.back)],
        ...(c.asked > 1 ? [["asked", String(c.asked)] as const] : []),
      ],
    });
  }

  private sweep(): void {
    this.sweptUs = this.nowUs;
    for (const c of this.open.values()) {
      const quietUs = this.nowUs - c.lastUs;
      if (isUnanswered(c) && quietUs >= NO_ANSWER_US) this.close(c, "no answer", c.lastUs);
      else if (quietUs >= QUIET_US) this.close(c, "quiet", c.lastUs);
    }
  }

  private evict(): void {
    const oldest = this.open.oldest()?.[1];
    if (oldest === undefined) return;
    this.evicted++;
    this.close(oldest, "open", oldest.lastUs);
  }

  private account(c: Connection): void {
    if (!this.open.has(c.key)) return;
    const { content, orders } = c;
    const held =
      (orders.there?.held ?? 0) +
      (orders.back?.held ?? 0) +
      (content === null || content === "other" ? 0 : content.held);
    this.held += held - c.held;
    c.held = held;
    while (this.held > MOST_HELD && this.open.size > 0) this.evict();
  }
}

/** It was asked for and nothing came of it. Where the client went on, it was answered by a way that was not captured. */
const isUnanswered = (c: Connection): boolean =>
  c.isWhole && c.answeredUs === null && c.bytes.there === 0 && c.bytes.back === 0;

const keyOf = (src: Uint8Array, srcPort: number, dst: Uint8Array, dstPort: number): string =>
  addressKey(src) + addressKey(dst) + String.fromCharCode(srcPort, dstPort);

const endsOf = (packet: CapturedSegment, { srcPort, dstPort }: { srcPort: number; dstPort: number }): Ends => ({
  src: addressFromBytes(packet.src),
  dst: addressFromBytes(packet.dst),
  srcPort,
  dstPort,
});

/** Client and server are the other way round than they were taken for. */
function turn(c: Connection): void {
  c.ends = turned(c.ends);
  [c.clientKey, c.serverKey] = [c.serverKey, c.clientKey];
  for (const ways of [c.orders, c.bytes, c.ended] as { there: unknown; back: unknown }[])
    [ways.there, ways.back] = [ways.back, ways.there];
}
