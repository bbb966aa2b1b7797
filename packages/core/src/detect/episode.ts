import type { EpochUs } from "../base/time/index.js";
import { type Episode, type Evidence, MOST_KEPT, type RuleEvent } from "./event.js";

const KEEP_FIRST = 20;
const KEEP_LATEST = 30;
const MAX_ENTITIES = 50;

/** The fact that says how many of its events were heard by another way too. */
export const HEARD_AGAIN = "heard again";

/** An episode that still takes evidence. */
export class OpenEpisode {
  firstUs: EpochUs;
  lastUs: EpochUs;
  /** When the condition was met. */
  metUs: EpochUs;
  count = 0;
  /** How many of them were heard by another way too. */
  private again = 0;
  private worse = 0;
  facts: Episode["facts"] = [];
  private first: Evidence[] = [];
  private latest: Evidence[] = [];
  /** What no report has named yet. */
  private added: Evidence[] = [];
  private readonly entities = new Set<string>();
  /** The list of entities that was added last. */
  private named: readonly string[] | null = null;

  /** @param severalSteps whether evidence says which step it met */
  constructor(
    events: readonly RuleEvent[],
    private readonly severalSteps: boolean,
  ) {
    this.firstUs = events[0]?.timeUs ?? 0;
    this.lastUs = this.firstUs;
    // what completes a sequence is what it is about
    if (severalSteps) this.name(events[events.length - 1]?.entities ?? []);
    for (const event of events) this.fold(event);
    this.metUs = this.lastUs;
  }

  static from(e: Episode, severalSteps: boolean): OpenEpisode {
    const open = new OpenEpisode([], severalSteps);
    open.firstUs = e.firstUs;
    open.lastUs = e.lastUs;
    open.metUs = e.raisedUs;
    open.count = e.count;
    // states kept before there was such a thing say nothing of it
    open.worse = e.worse ?? 0;
    open.facts = e.facts.filter(([name]) => name !== HEARD_AGAIN);
    open.again = e.facts.find(([name]) => name === HEARD_AGAIN)?.[1] ?? 0;
    open.first = [...e.first];
    open.latest = [...e.latest];
    for (const entity of e.entities) open.entities.add(entity);
    return open;
  }

  fold(event: RuleEvent): void {
    if (event.isEcho) {
      this.hearAgain(event);
      return;
    }
    this.count++;
    this.list(event);
  }

  /** The same event by another way: evidence, not counted. */
  hearAgain(event: RuleEvent): void {
    this.again++;
    this.list(event);
  }

  private list(event: RuleEvent): void {
    const { id, timeUs } = event;
    const evidence: Evidence = this.severalSteps ? { id, timeUs, step: event.meets[0] ?? 0 } : { id, timeUs };
    if (this.count + this.again <= MOST_KEPT) this.added.push(evidence);
    this.worse |= event.worse;
    this.lastUs = Math.max(this.lastUs, event.timeUs);
    if (this.first.length < KEEP_FIRST) this.first.push(evidence);
    else {
      this.latest.push(evidence);
      if (this.latest.length > KEEP_LATEST) this.latest.shift();
    }
    this.name(event.entities);
  }

  private name(entities: readonly string[]): void {
    // in a flood one record names what the one before it did, in the same list
    if (entities === this.named) return;
    this.named = entities;
    for (const entity of entities) if (this.entities.size < MAX_ENTITIES) this.entities.add(entity);
  }

  clone(): OpenEpisode {
    const copy = OpenEpisode.from(this.snapshot(), this.severalSteps);
    copy.added = [...this.added];
    return copy;
  }

  /** As it stands, with all evidence that came since it was last reported. */
  report(): Episode {
    return { ...this.snapshot(), added: this.added };
  }

  /** What it has listed so far has been reported. */
  noteReported(): void {
    if (this.added.length > 0) this.added = [];
  }

  snapshot(): Episode {
    return {
      firstUs: this.firstUs,
      lastUs: this.lastUs,
      raisedUs: this.metUs,
      count: this.count,
      first: [...this.first],
      latest: [...this.latest],
      entities: [...this.entities],
      worse: this.worse,
      facts: this.again === 0 ? this.facts : [...this.facts, [HEARD_AGAIN, this.again]],
      clearedUs: null,
      clearedBy: null,
    };
  }
}
