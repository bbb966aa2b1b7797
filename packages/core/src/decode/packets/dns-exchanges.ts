import { AgedMap } from "../../base/collections/index.js";
import { type EpochUs, US_PER_SECOND } from "../../base/time/index.js";
import { type DnsMessage, readDns } from "./dns-message.js";
import { type Ends, type Tell, turned, wayOf } from "./ends.js";
import { between } from "./observation.js";

export const DNS_PORT = 53;
/** Programs that ask have given up by then (common practice, no source). */
const NO_ANSWER_US = 10 * US_PER_SECOND;
const MOST_OPEN = 20_000;
const MOST_ANSWERS_TOLD = 8;

interface Question {
  readonly ends: Ends;
  readonly protocol: number;
  readonly timeUs: EpochUs;
  readonly name: string;
  readonly type: string;
  /** How often it was asked before there was an answer. */
  asked: number;
}

/** Questions of DNS with their answers, or that there was none. Bounded: of too many questions the oldest is told of as it stands. */
export class DnsExchanges {
  /** By who asked whom what, with which number; in the order they were first asked. */
  private readonly open = new AgedMap<string, Question>();
  evicted = 0;
  private expiredUs: EpochUs = Number.NEGATIVE_INFINITY;

  constructor(private readonly tell: Tell) {}

  /** @throws {DecodeError} when the bytes are no message of DNS */
  add(timeUs: EpochUs, ends: Ends, protocol: number, bytes: Uint8Array): void {
    const message = readDns(bytes);
    if (!message.isQuery || message.question === null) return;
    this.expire(timeUs);
    if (message.isResponse) this.answer(timeUs, turned(ends), protocol, message);
    else this.ask(timeUs, ends, protocol, message);
  }

  /** Tells of what has waited too long. */
  expire(nowUs: EpochUs): void {
    // the oldest are found only past those that are gone: not for every packet
    if (nowUs - this.expiredUs < US_PER_SECOND) return;
    this.expiredUs = nowUs;
    for (const [key, question] of this.open) {
      if (nowUs - question.timeUs < NO_ANSWER_US) break;
      this.open.delete(key);
      this.unanswered(question);
    }
  }

  end(): void {
    for (const question of this.open.values()) this.unanswered(question);
    this.open.clear();
  }

  private ask(timeUs: EpochUs, ends: Ends, protocol: number, m: DnsMessage): void {
    const key = keyOf(ends, protocol, m);
    const known = this.open.get(key);
    if (known !== undefined) {
      known.asked++;
      return;
    }
    if (this.open.size >= MOST_OPEN) {
      const oldest = this.open.dropOldest();
      this.evicted++;
      this.unanswered(oldest![1]);
    }
    this.open.set(key, { ends, protocol, timeUs, ...m.question!, asked: 1 });
  }

  private answer(timeUs: EpochUs, asker: Ends, protocol: number, m: DnsMessage): void {
    const key = keyOf(asker, protocol, m);
    const question = this.open.get(key);
    this.open.delete(key);
    const told = m.answers.slice(0, MOST_ANSWERS_TOLD);
    this.tell({
      what: "dns",
      timeUs: question?.timeUs ?? timeUs,
      event: m.code,
      outcome: m.code === "NOERROR" ? "success" : "failure",
      ...asker,
      protocol,
      addresses: told.flatMap((a) => (a.type === "A" || a.type === "AAAA" ? [a.value] : [])),
      values: [
        ["question", m.question!.name],
        ["question type", m.question!.type],
        ...(question === undefined ? [] : [["answer time", between(question.timeUs, timeUs)] as const]),
        ...told.map((a) => ["answer", a.value] as const),
        ...(m.answers.length > told.length ? [["answers", String(m.answers.length)] as const] : []),
        ...(question !== undefined && question.asked > 1 ? [["asked", String(question.asked)] as const] : []),
      ],
    });
  }

  private unanswered(q: Question): void {
    this.tell({
      what: "dns",
      timeUs: q.timeUs,
      event: "no answer",
      outcome: "failure",
      ...q.ends,
      protocol: q.protocol,
      addresses: [],
      values: [
        ["question", q.name],
        ["question type", q.type],
        ...(q.asked > 1 ? [["asked", String(q.asked)] as const] : []),
      ],
    });
  }
}

const keyOf = (asker: Ends, protocol: number, m: DnsMessage): string =>
  `${wayOf(asker)} ${protocol} ${m.id} ${m.question!.type} ${m.question!.name}`;
