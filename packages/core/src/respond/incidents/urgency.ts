import { type EpochUs, US_PER_MINUTE } from "../../base/time/index.js";
import type { Severity } from "../../model/record/index.js";
import { type AttentionFacts, isUnjudged, needsAttention } from "./attention.js";

/** What urgency goes by. */
export interface UrgencyFacts extends AttentionFacts {
  readonly severity: Severity;
  readonly severityName: string;
  /** Rules with findings in it. */
  readonly rules: number;
  readonly returned: number;
  readonly lastUs: EpochUs;
}

/** How urgent an incident is, as a sum whose parts are said. */
export interface Urgency {
  readonly score: number;
  readonly parts: readonly (readonly [why: string, points: number])[];
}

/** By severity, the worst first. Our own scale: no source. */
const SEVERITY_POINTS = [70, 60, 50, 40, 25, 12, 5, 0] as const;
const UNSEEN = 15;
const NEW_SINCE_SEEN = 15;
const ANOTHER_RULE = 5;
const RULES_AT_MOST = 3;
const GOES_ON = 10;
const GOES_ON_US = 15 * US_PER_MINUTE;
const RETURNED = 5;

/** What is judged or shelved is not urgent; of the rest the worst, the unseen, what several rules agree on and what goes on comes first. */
export function urgencyOf(i: UrgencyFacts, nowUs: EpochUs): Urgency {
  if (!isUnjudged(i)) return { score: 0, parts: [[i.state, 0]] };
  if (i.shelved) return { score: 0, parts: [["shelved", 0]] };
  if (i.folded) return { score: 0, parts: [["explained by another", 0]] };
  const parts: [string, number][] = [[i.severityName, SEVERITY_POINTS[i.severity]]];
  if (!i.acknowledged) parts.push(["not acknowledged", UNSEEN]);
  else if (i.newSinceSeen) parts.push(["new since seen", NEW_SINCE_SEEN]);
  if (i.rules > 1) parts.push([`${i.rules} rules agree`, Math.min(i.rules - 1, RULES_AT_MOST) * ANOTHER_RULE]);
  if (i.state === "open" && nowUs - i.lastUs < GOES_ON_US) parts.push(["it goes on", GOES_ON]);
  if (i.returned > 0) parts.push(["it returned", RETURNED]);
  return { score: parts.reduce((sum, [, points]) => sum + points, 0), parts };
}

/** The order of the queue: what needs somebody, then what nobody has judged; of each the most urgent, then the latest. */
export function byUrgency(nowUs: EpochUs): (a: UrgencyFacts, b: UrgencyFacts) => number {
  return (a, b) =>
    Number(needsAttention(b)) - Number(needsAttention(a)) ||
    Number(isUnjudged(b)) - Number(isUnjudged(a)) ||
    urgencyOf(b, nowUs).score - urgencyOf(a, nowUs).score ||
    b.lastUs - a.lastUs;
}
