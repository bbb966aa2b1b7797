import {
  type EpochUs,
  formatDuration,
  US_PER_DAY,
  US_PER_HOUR,
  US_PER_SECOND,
  zoneOffsetUs,
} from "../../base/time/index.js";
import { type Rule, splitKey } from "../../detect/index.js";
import { SEVERITIES } from "../../model/record/index.js";
import type { CloseReason } from "../incidents/index.js";

/** A finding of a rule as it was, with what people made of its incident. */
export interface PastFinding {
  readonly firstUs: EpochUs;
  readonly lastUs: EpochUs;
  /** When the condition was met. */
  readonly raisedUs: EpochUs;
  readonly clearedUs: EpochUs | null;
  readonly count: number;
  readonly key: string;
  readonly entities: readonly string[];
  /** How its incident was closed; null: nobody has. */
  readonly closedAs: CloseReason | null;
  /** It raised an incident of its own: others joined one that people were called for already. */
  readonly called: boolean;
}

/** Findings of a rule, and how severe it is. */
export interface PastOfRule {
  readonly severity: (typeof SEVERITIES)[number];
  readonly findings: readonly PastFinding[];
}

/** A change of a rule and what it would have done to what came. */
export interface Suggestion {
  readonly rule: string;
  readonly kind: "hold" | "threshold" | "clear" | "shelving" | "suppression" | "key";
  /** What is set in the rule's file, path by path. */
  readonly change: readonly { readonly path: readonly (string | number)[]; readonly value: unknown }[];
  /** What it is, as a sentence without an end. */
  readonly says: string;
  /** Findings that called for people, and those that would not have by themselves. */
  readonly came: number;
  readonly without: number;
  /** Of those: how their incidents were closed. */
  readonly fixed: number;
  readonly expectedOrFalse: number;
}

const LEAST = 3;
const LEAST_SHARE = 0.2;
const MOSTLY = 0.6;
const HOLDS_S = [60, 300, 900] as const;
const TIMES_MORE = [1.5, 2, 3] as const;
const CLEARS = [2, 4] as const;
const HOURS = 2;
const DAYS_LEAST = 4;
const MOST_SECONDS = 7 * 86_400;

/**
 * Changes of a rule by which less of what it raised would have come, the one that spares most of each kind; none that would have kept a person from something
 * that was fixed. What is counted is what surely would not have come: a rehearsal on the stored records says the rest.
 * @param past findings of the rule, of some weeks @param others findings of other rules in that time, by rule
 */
export function suggestFor(
  rule: Rule,
  past: readonly PastFinding[],
  others: ReadonlyMap<string, PastOfRule>,
  zone: string,
): Suggestion[] {
  const findings = past.filter((f) => f.called);
  const found = [
    ...holds(rule, findings),
    ...thresholds(rule, findings),
    ...clears(rule, findings),
    ...shelvings(rule, findings, zone),
    ...suppressions(rule, findings, others),
    ...coarserKeys(rule, findings),
  ];
  // shelved and explained ones are found all the same; of the others a rule must still raise some
  const keepsAll = (s: Suggestion) => s.kind === "shelving" || s.kind === "suppression";
  const worth = found.filter(
    (s) =>
      s.fixed === 0 && s.without >= LEAST && s.without >= s.came * LEAST_SHARE && (s.without < s.came || keepsAll(s)),
  );
  const best = new Map<Suggestion["kind"], Suggestion>();
  for (const s of worth) if (s.without > (best.get(s.kind)?.without ?? 0)) best.set(s.kind, s);
  return [...best.values()].sort((a, b) => b.without - a.without);
}

const suggestion = (
  rule: Rule,
  kind: Suggestion["kind"],
  says: string,
  change: Suggestion["change"],
  came: readonly PastFinding[],
  without: readonly PastFinding[],
): Suggestion => ({
  rule: rule.id,
  kind,
  says,
  change,
  came: came.length,
  without: without.length,
  fixed: without.filter((f) => f.closedAs === "fixed").length,
  expectedOrFalse: without.filter((f) => f.closedAs === "expected" || f.closedAs === "false").length,
});

/** Evidence must still come for so long: what is over at once does not raise. Of a rule some of whose findings last. */
function holds(rule: Rule, all: readonly PastFinding[]): Suggestion[] {
  return HOLDS_S.filter((s) => s > rule.holdSeconds).map((seconds) => {
    const without = all.filter((f) => f.lastUs - f.raisedUs < seconds * US_PER_SECOND);
    const says = `a hold of ${formatDuration(seconds * US_PER_SECOND)}: it must still go on then`;
    return suggestion(rule, "hold", says, [{ path: ["holdSeconds"], value: seconds }], all, without);
  });
}

/** More records, or more different values, before it raises. */
function thresholds(rule: Rule, all: readonly PastFinding[]): Suggestion[] {
  // a rule that raises on the first record is not one of amounts
  if (rule.kind !== "count" || rule.count < 2) return [];
  return TIMES_MORE.map((times) => {
    const count = Math.ceil(rule.count * times);
    const without = all.filter((f) => f.count < count);
    return suggestion(
      rule,
      "threshold",
      `${count} records instead of ${rule.count}`,
      [{ path: ["count"], value: count }],
      all,
      without,
    );
  });
}

/** A longer silence before it counts as over: what begins again meanwhile is the same finding. */
function clears(rule: Rule, all: readonly PastFinding[]): Suggestion[] {
  const { clear } = rule;
  if (clear.by !== "quiet") return [];
  return CLEARS.map((times) => Math.min(clear.seconds * times, MOST_SECONDS))
    .filter((seconds) => seconds > clear.seconds)
    .map((seconds) => {
      const without = again(all, seconds * US_PER_SECOND);
      const says = `over after ${formatDuration(seconds * US_PER_SECOND)} without more instead of ${formatDuration(clear.seconds * US_PER_SECOND)}`;
      return suggestion(rule, "clear", says, [{ path: ["clear", "seconds"], value: seconds }], all, without);
    });
}

/** Findings that begin within so long of the one before them with the same key. */
function again(all: readonly PastFinding[], withinUs: number): PastFinding[] {
  const last = new Map<string, EpochUs>();
  return [...all]
    .sort((a, b) => a.firstUs - b.firstUs)
    .filter((f) => {
      const before = last.get(f.key);
      last.set(f.key, Math.max(before ?? 0, f.lastUs));
      return before !== undefined && f.firstUs - before <= withinUs;
    });
}

/** The hours of the day in which most of them come, on day after day. */
function shelvings(rule: Rule, all: readonly PastFinding[], zone: string): Suggestion[] {
  const hourOf = (f: PastFinding) =>
    Math.floor(((f.raisedUs + zoneOffsetUs(zone, f.raisedUs)) % US_PER_DAY) / US_PER_HOUR);
  const dayOf = (f: PastFinding) => Math.floor((f.raisedUs + zoneOffsetUs(zone, f.raisedUs)) / US_PER_DAY);
  let best: { hour: number; without: readonly PastFinding[] } | null = null;
  for (let hour = 0; hour < 24; hour++) {
    const without = all.filter((f) => (hourOf(f) - hour + 24) % 24 < HOURS);
    if (without.length > (best?.without.length ?? 0)) best = { hour, without };
  }
  if (best === null || best.without.length < all.length * MOSTLY) return [];
  if (new Set(best.without.map(dayOf)).size < DAYS_LEAST) return [];
  const clock = (hour: number) => `${String(hour % 24).padStart(2, "0")}:00`;
  const window = { from: clock(best.hour), to: clock(best.hour + HOURS), why: "it comes at this time, day after day" };
  const says = `shelved from ${window.from} to ${window.to}: most come then, day after day`;
  return [
    suggestion(rule, "shelving", says, [{ path: ["shelve"], value: [...rule.shelve, window] }], all, best.without),
  ];
}

/** Another rule whose findings stood for the same things whenever these came. */
function suppressions(rule: Rule, all: readonly PastFinding[], others: ReadonlyMap<string, PastOfRule>): Suggestion[] {
  const level = (name: PastOfRule["severity"]) => SEVERITIES.indexOf(name);
  return [...others].flatMap(([other, { severity, findings: theirs }]) => {
    if (other === rule.id || rule.explainedBy.includes(other) || rule.explainedBy.length >= 8) return [];
    // what is less urgent does not stand for what is more
    if (level(severity) > level(rule.severity)) return [];
    const without = all.filter((f) =>
      theirs.some(
        (o) =>
          // what comes before its explanation is raised all the same
          o.raisedUs <= f.raisedUs &&
          (o.clearedUs ?? Number.POSITIVE_INFINITY) >= f.raisedUs &&
          o.entities.some((e) => f.entities.includes(e)),
      ),
    );
    if (without.length < all.length * MOSTLY) return [];
    const says = `not by itself while “${other}” has a finding about the same`;
    const change = [{ path: ["explainedBy"], value: [...rule.explainedBy, other] }];
    return [suggestion(rule, "suppression", says, change, all, without)];
  });
}

/** A key of fewer fields, where several of one come together. */
function coarserKeys(rule: Rule, all: readonly PastFinding[]): Suggestion[] {
  if (!("key" in rule) || rule.key.length < 2 || !("windowSeconds" in rule)) return [];
  const { key, windowSeconds } = rule;
  const left = key.slice(0, -1);
  const coarse = all.map((f) => ({ ...f, key: splitKey(f.key, key.length).slice(0, -1).join("\n") }));
  const without = again(coarse, windowSeconds * US_PER_SECOND);
  const says = `one finding by ${left.join(" and ")}, not each by ${key[key.length - 1]} too`;
  return [suggestion(rule, "key", says, [{ path: ["key"], value: left }], all, without)];
}
