import type { OwnObservation } from "@halvik/core/normalise";
import { nowUs } from "../../../kernel/clock.js";
import type { SenderRegistry } from "../senders/registry.js";
import type { Counters } from "./counters.js";
import type { Decoders } from "./decoders.js";

/** What lasts is said again no sooner than this. */
const REPEAT_OBSERVATION_US = 30_000_000;
const MOST_PENDING = 1_000;

/** What the collector notices about itself: gathered, and told as records of Halvik's own with the next batch. */
export class OwnNotices {
  private observations: OwnObservation[] = [];
  private readonly lastReported = new Map<string, number>();
  private losses = new Map<string, { endpoint: string; reason: string; count: number }>();
  private readonly overCap = new Map<string, number>();
  private gapsReported = 0;

  constructor(
    private readonly collectorName: string,
    private readonly ratePerSender: number,
    private readonly registry: SenderRegistry,
    private readonly decoders: Decoders,
    private readonly counters: Counters,
  ) {}

  /** To be stored; the first of them are dropped once they are. */
  get pending(): readonly OwnObservation[] {
    return this.observations;
  }

  drop(stored: number): void {
    this.observations.splice(0, stored);
  }

  observe(observation: OwnObservation): void {
    if (this.observations.length < MOST_PENDING) this.observations.push(observation);
  }

  lost(endpoint: string, reason: string, count: number): void {
    this.counters.lost += count;
    const known = this.losses.get(`${endpoint} ${reason}`);
    if (known) known.count += count;
    else this.losses.set(`${endpoint} ${reason}`, { endpoint, reason, count });
  }

  capped(peer: string): void {
    this.counters.capped++;
    this.overCap.set(peer, (this.overCap.get(peer) ?? 0) + 1);
  }

  /** Makes observations of what was counted since, each kind at its pace. */
  reportDue(): void {
    for (const { endpoint, reason, count } of this.losses.values()) {
      this.observe({
        event: "records-lost",
        severity: 3,
        outcome: "failure",
        subject: endpoint,
        text: `${count} lost at ${endpoint}: ${reason}.`,
        data: [
          ["count", String(count)],
          ["reason", reason],
        ],
      });
    }
    this.losses = new Map();
    const now = nowUs();
    const gaps = this.decoders.counters["sequence gaps"] - this.gapsReported;
    if (gaps > 0 && now - (this.lastReported.get("flow gaps") ?? 0) >= REPEAT_OBSERVATION_US) {
      this.lastReported.set("flow gaps", now);
      this.gapsReported += gaps;
      this.observe({
        event: "flow-gaps",
        severity: 5,
        outcome: "failure",
        subject: this.collectorName,
        text: `${gaps} numbered by exporters never came: flow datagrams were lost on their way.`,
        data: [["count", String(gaps)]],
      });
    }
    for (const [peer, count] of this.overCap) {
      if (now - (this.lastReported.get(peer) ?? 0) < REPEAT_OBSERVATION_US) continue;
      const name = this.registry.peer(peer)?.facts.name ?? peer;
      this.observe({
        event: "senders-capped",
        severity: 4,
        outcome: "failure",
        subject: name,
        text: `${name} sent more than ${this.ratePerSender} records/s; ${count} were counted and not kept.`,
        data: [["count", String(count)]],
      });
      this.lastReported.set(peer, now);
      this.overCap.delete(peer);
    }
  }
}
