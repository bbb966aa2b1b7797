import type { Severity } from "../record/index.js";
import { type EpochUs, US_PER_MINUTE } from "../time/index.js";
import type { IncidentState } from "./life-cycle.js";

/** What urgency goes by. */
export interface UrgencyFacts {
  readonly severity: Severity;
  readonly severityName: string;
  readonly state: IncidentState;
  readonly acknowledged: boolean;
  readonly newSinceSeen: boolean;
  /** Rules with findings in it. */
  readonly rules: number;
  readonly returned: number;
  readonly lastUs: EpochUs;
  readonly shelved: boolean;
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

/** What is over or shelved is not urgent; of the rest the worst, the unseen, what several rules agree on and what goes on comes first. */
export function urgencyOf(i: UrgencyFacts, nowUs: EpochUs): Urgency {
  if (i.state !== "open") return { score: 0, parts: [[i.state, 0]] };
  if (i.shelved) return { score: 0, parts: [["shelved", 0]] };
  const parts: [string, number][] = [[i.severityName, SEVERITY_POINTS[i.severity]]];
  if (!i.acknowledged) parts.push(["nobody has seen it", UNSEEN]);
  else if (i.newSinceSeen) parts.push(["new since seen", NEW_SINCE_SEEN]);
  if (i.rules > 1) parts.push([`${i.rules} rules agree`, Math.min(i.rules - 1, RULES_AT_MOST) * ANOTHER_RULE]);
  if (nowUs - i.lastUs < GOES_ON_US) parts.push(["it goes on", GOES_ON]);
  if (i.returned > 0) parts.push(["it returned", RETURNED]);
  return { score: parts.reduce((sum, [, points]) => sum + points, 0), parts };
}
