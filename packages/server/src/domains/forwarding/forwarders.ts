import { readdirSync, rmSync } from "node:fs";
import { join } from "node:path";
import type { ForwardWay } from "@halvik/core/forward";
import { emptyContent, type HalvikRecord, recordToJson } from "@halvik/core/model/record";
import { recordInPlace, type StoredContent } from "../../store/record-columns.js";
import { formatRecordId } from "../../store/record-id.js";
import type { Arrival, Protocol } from "../intake/arrivals/arrival.js";
import type { DecodedBatch } from "../intake/pipeline/decode-batch.js";
import { Forwarder } from "./forwarder.js";
import type { ForwardState, ReadyForward } from "./repository.js";
import { openWay } from "./ways/open-way.js";

/** What each way takes in its own form; null: everything, as JSON. */
const PROTOCOL_OF: Readonly<Record<ForwardWay["is"], Protocol | null>> = {
  syslog: "syslog",
  snmp: "snmp",
  flow: "flow",
  json: null,
};

/** What is known of senders where something is passed on. */
interface Senders {
  readonly nameOf: (id: number) => string;
  readonly nameOfAddress: (address: string) => string;
  /** The number of an admitted sender by its address; null: it is none. */
  readonly admitted: (address: string) => number | null;
}

/** Everything that is passed on to other collectors. Whatever becomes of them, what arrives is stored in its time. */
export class Forwarders {
  private readonly running = new Map<number, { readonly forwarder: Forwarder; readonly asSet: string }>();
  private ready: readonly ReadyForward[] = [];
  /** What there was no room for since it was last asked, by forward. */
  private overflow = new Map<string, number>();

  constructor(
    private readonly directory: string,
    private readonly maxBytes: number,
    private readonly senders: Senders,
  ) {}

  /**
   * Runs these forwards and no others; one that is set otherwise keeps its queue.
   * @param known every forward there is: queues of others go, those too that were left while nobody ran; null: it is not known
   */
  async apply(ready: readonly ReadyForward[], known: readonly number[] | null): Promise<void> {
    this.ready = ready;
    for (const [id, { forwarder, asSet }] of this.running) {
      const next = ready.find((r) => r.id === id);
      if (next !== undefined && waySet(next) === asSet) continue;
      this.running.delete(id);
      await forwarder.stop();
    }
    if (known !== null) this.removeOthers(known);
    for (const one of ready) {
      if (this.running.has(one.id)) continue;
      const forwarder = new Forwarder(one.id, this.pathOf(one.id), this.maxBytes, () =>
        openWay(one.forward, one.secret, this.senders.nameOfAddress),
      );
      this.running.set(one.id, { forwarder, asSet: waySet(one) });
    }
  }

  private pathOf(id: number): string {
    return join(this.directory, `forward-${id}`);
  }

  private removeOthers(known: readonly number[]): void {
    for (const name of readdirSync(this.directory)) {
      const id = /^forward-(\d+)$/.exec(name)?.[1];
      if (id !== undefined && !known.includes(Number(id)))
        rmSync(join(this.directory, name), { recursive: true, force: true });
    }
  }

  /** Queues what is passed on of a batch, before it is stored: a batch that is tried again is queued once. */
  async take(batch: number, decoded: DecodedBatch, arrivals: readonly Arrival[]): Promise<void> {
    for (const one of this.ready) {
      const { forwarder } = this.running.get(one.id) ?? {};
      if (forwarder === undefined) continue;
      const lost = await forwarder.take(batch, () => this.chosenBy(one, decoded, arrivals));
      if (lost > 0) this.overflow.set(one.forward.name, (this.overflow.get(one.forward.name) ?? 0) + lost);
    }
  }

  private chosenBy(
    { id, forward, matches }: ReadyForward,
    decoded: DecodedBatch,
    arrivals: readonly Arrival[],
  ): Arrival[] {
    const byRule = decoded.passedOn.filter((p) => p.forward === id);
    if (matches === null && byRule.length === 0) return [];
    const protocol = PROTOCOL_OF[forward.way.is];
    const sentByRule = new Map<Arrival, StoredContent[]>();
    for (const { arrival, stored } of byRule) sentByRule.set(arrival, [...(sentByRule.get(arrival) ?? []), stored]);
    const out: Arrival[] = [];
    for (let i = 0, at = 0; i < arrivals.length; i++) {
      const arrival = arrivals[i]!;
      const records = decoded.records.slice(at, decoded.ends[i]);
      at = decoded.ends[i]!;
      if (protocol !== null && arrival.protocol !== protocol) continue;
      const of = sentByRule.get(arrival) ?? [];
      if (protocol === null) {
        const ids = new Set(of.map((s) => s.id));
        const chosen = [...of, ...records.filter((r) => !ids.has(r.id) && matches?.(recordInPlace(r)))];
        for (const stored of chosen) out.push(this.asJson(arrival, stored));
      } else if (of.length > 0 || (matches !== null && this.isChosen(arrival, records, matches))) out.push(arrival);
    }
    return out;
  }

  private isChosen(
    arrival: Arrival,
    records: readonly StoredContent[],
    matches: NonNullable<ReadyForward["matches"]>,
  ): boolean {
    if (arrival.protocol !== "flow") return records.some((r) => matches(recordInPlace(r)));
    // whole datagrams by their sender, those too that hold templates alone
    const sender = this.senders.admitted(arrival.peer);
    if (sender === null) return false;
    const { receivedUs, endpoint } = arrival;
    return matches({
      ...emptyContent("flow", receivedUs, receivedUs),
      id: "",
      sender,
      endpoint,
      copyOf: null,
      shape: null,
    });
  }

  private asJson(arrival: Arrival, stored: StoredContent): Arrival {
    const json = JSON.stringify(recordToJson(recordOf(stored), this.senders.nameOf(stored.sender)));
    return {
      protocol: "json",
      endpoint: arrival.endpoint,
      peer: arrival.peer,
      receivedUs: arrival.receivedUs,
      bytes: Buffer.from(json, "utf8"),
      held: false,
    };
  }

  /** What was not kept for want of room since this was last asked. */
  takeOverflow(): ReadonlyMap<string, number> {
    const taken = this.overflow;
    this.overflow = new Map();
    return taken;
  }

  /** Forwards that cannot deliver, with since when and why. */
  failing(): { readonly name: string; readonly us: number; readonly why: string }[] {
    return this.ready.flatMap(({ id, forward }) => {
      const since = this.running.get(id)?.forwarder.failingSince ?? null;
      return since === null ? [] : [{ name: forward.name, ...since }];
    });
  }

  states(): ForwardState[] {
    return [...this.running.values()].map(({ forwarder }) => forwarder.status());
  }

  async stop(): Promise<void> {
    await Promise.all([...this.running.values()].map(({ forwarder }) => forwarder.stop()));
  }
}

/** What a change of would need another connection. */
const waySet = ({ forward, secret }: ReadyForward): string => JSON.stringify([forward.way, secret]);

const recordOf = ({ content, id, sender, endpoint, copyOf, shape }: StoredContent): HalvikRecord => ({
  ...content,
  id: formatRecordId(id),
  sender,
  endpoint,
  copyOf,
  shape: shape?.id || null,
});
