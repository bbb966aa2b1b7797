import { type EpochUs, US_PER_MINUTE } from "../base/time/index.js";
import { type Action, dataValues, type HalvikRecord } from "../model/record/index.js";

/** What was decided of one sort: by one device and policy, between two zones. */
export interface PolicyUse {
  readonly action: Action;
  readonly sender: number;
  /** Null: the record names none. */
  readonly policy: string | null;
  readonly zones: readonly [from: string | null, to: string | null];
  count: number;
  firstUs: EpochUs;
  lastUs: EpochUs;
}

/** What became of one destination port. */
export interface PortFate {
  /** Null: the records name none. */
  readonly port: number | null;
  readonly protocol: number | null;
  readonly decided: Record<Action, number>;
  flows: number;
  bytes: number;
}

/** What does not go together, with when it was seen. */
export interface Contradiction {
  readonly code: "denied and yet flowed" | "accepted and nothing flowed" | "accepted by another policy";
  readonly src: string;
  readonly dst: string;
  readonly port: number | null;
  readonly sender: number;
  /** Of another policy: the one before and the one then. */
  readonly policies: readonly [string | null, string | null];
  readonly atUs: EpochUs;
}

/** Decisions and flows of one conversation's ends. */
interface Ends {
  readonly src: string;
  readonly dst: string;
  readonly port: number | null;
  readonly decisions: {
    readonly action: Action;
    readonly sender: number;
    readonly policy: string | null;
    readonly timeUs: EpochUs;
  }[];
  readonly flows: { readonly startUs: EpochUs; readonly endUs: EpochUs; readonly carried: boolean }[];
}

/** A decision and the flow it is about are told by different devices: so far apart they may be stamped. */
const APART_US = US_PER_MINUTE;
/** An accepted connection that flowed is told of by then: exporters cut what lasts (common practice, no source). */
const TOLD_BY_US = 35 * US_PER_MINUTE;
/** A connection that was refused is tried with so few packets that way: SYN and its repeats (RFC 9293; the number is common practice). */
const MOST_TRIES = 6;
const MOST_ENDS = 20_000;
const MOST_CONTRADICTIONS = 50;

/** Was it allowed? Gathers what firewalls decided and what flowed, of records in any order, and says what does not go together. */
export class PolicyCheck {
  private readonly byPolicy = new Map<string, PolicyUse>();
  private readonly byPort = new Map<string, PortFate>();
  private readonly ends = new Map<string, Ends>();
  private decisions = 0;
  private flows = 0;

  add(r: HalvikRecord): void {
    if (r.kind === "flow") this.addFlow(r);
    else if (r.action !== null) this.addDecision(r, r.action);
  }

  get counts(): { readonly decisions: number; readonly flows: number } {
    return { decisions: this.decisions, flows: this.flows };
  }

  /** Most used first. */
  policies(): PolicyUse[] {
    return [...this.byPolicy.values()].sort((a, b) => b.count - a.count || a.firstUs - b.firstUs);
  }

  /** Most decided first, then most flowed: answers flow to ports picked at random, about which nobody decides. */
  ports(): PortFate[] {
    const decided = ({ decided: d }: PortFate) => d.accept + d.deny + d.reject;
    return [...this.byPort.values()].sort(
      (a, b) => decided(b) - decided(a) || b.flows - a.flows || (a.port ?? -1) - (b.port ?? -1),
    );
  }

  /**
   * The latest first, at most 50.
   * @param untilUs up to when flows are known: what was accepted shortly before may still be told of
   */
  contradictions(untilUs: EpochUs): Contradiction[] {
    const found: Contradiction[] = [];
    for (const { src, dst, port, decisions, flows } of this.ends.values()) {
      decisions.sort((a, b) => a.timeUs - b.timeUs);
      const lastBy = new Map<number, string | null>();
      const of = (code: Contradiction["code"], d: Ends["decisions"][number], before: string | null = null): void => {
        found.push({ code, src, dst, port, sender: d.sender, policies: [before, d.policy], atUs: d.timeUs });
      };
      for (const d of decisions) {
        const near = flows.filter((f) => f.startUs <= d.timeUs + APART_US && f.endUs >= d.timeUs - APART_US);
        if (d.action !== "accept") {
          const isAccepted = decisions.some((o) => o.action === "accept" && Math.abs(o.timeUs - d.timeUs) <= APART_US);
          if (!isAccepted && near.some((f) => f.carried)) of("denied and yet flowed", d);
          continue;
        }
        const before = lastBy.get(d.sender);
        if (before !== undefined && before !== d.policy) of("accepted by another policy", d, before);
        lastBy.set(d.sender, d.policy);
        // where no flow was ever seen, nobody may be looking
        if (this.flows > 0 && near.length === 0 && d.timeUs + TOLD_BY_US < untilUs)
          of("accepted and nothing flowed", d);
      }
    }
    return found.sort((a, b) => b.atUs - a.atUs).slice(0, MOST_CONTRADICTIONS);
  }

  private addDecision(r: HalvikRecord, action: Action): void {
    this.decisions++;
    const one = (name: string) => dataValues(r, name)[0] ?? null;
    const policy = one("policy");
    const zones = [one("src zone"), one("dst zone")] as const;
    const key = JSON.stringify([action, r.sender, policy, zones]);
    const use = this.byPolicy.get(key);
    if (use === undefined)
      this.byPolicy.set(key, {
        action,
        sender: r.sender,
        policy,
        zones,
        count: 1,
        firstUs: r.timeUs,
        lastUs: r.timeUs,
      });
    else {
      use.count++;
      use.firstUs = Math.min(use.firstUs, r.timeUs);
      use.lastUs = Math.max(use.lastUs, r.timeUs);
    }
    this.fate(r).decided[action]++;
    this.endsOf(r)?.decisions.push({ action, sender: r.sender, policy, timeUs: r.timeUs });
  }

  private addFlow(r: HalvikRecord): void {
    this.flows++;
    const fate = this.fate(r);
    fate.flows++;
    fate.bytes += Number(r.bytes ?? 0);
    const packets = Number(r.packets ?? 0);
    this.endsOf(r)?.flows.push({
      startUs: r.flow?.startUs ?? r.timeUs,
      endUs: r.timeUs,
      // tries of what is refused are packets, too
      carried: packets > MOST_TRIES,
    });
  }

  private fate({ dstPort, protocol }: HalvikRecord): PortFate {
    const key = `${protocol} ${dstPort}`;
    let fate = this.byPort.get(key);
    if (fate === undefined) {
      fate = { port: dstPort, protocol, decided: { accept: 0, deny: 0, reject: 0 }, flows: 0, bytes: 0 };
      this.byPort.set(key, fate);
    }
    return fate;
  }

  private endsOf({ src, dst, dstPort: port }: HalvikRecord): Ends | null {
    if (src === null || dst === null) return null;
    const key = `${src} ${dst} ${port}`;
    const known = this.ends.get(key);
    if (known !== undefined) return known;
    if (this.ends.size >= MOST_ENDS) return null;
    const ends: Ends = { src, dst, port, decisions: [], flows: [] };
    this.ends.set(key, ends);
    return ends;
  }
}
