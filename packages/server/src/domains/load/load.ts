import type { LoadAnswer } from "@halvik/contract/load";
import { formatUs, US_PER_DAY, US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import { CLOSE_REASONS } from "@halvik/core/respond/incidents";
import { type Alarm, countsBy, judge, loadOf } from "@halvik/core/respond/load";
import type { Queryable } from "../../kernel/db/pool.js";
import { type RaisedIncident, raisedIncidents, type SentMessage, sentMessages } from "./repository.js";

const MOST = 50_000;
const LISTED = 12;
const TEN_MINUTES_US = 10 * US_PER_MINUTE;
/** Steps that a chart of some hundred bars is made of, by the length of the window. */
const STEPS = [TEN_MINUTES_US, US_PER_HOUR, US_PER_DAY];
const BARS = 200;

/** What is asked. */
export interface LoadScope {
  readonly fromUs: number;
  readonly toUs: number;
  /** Whose messages; null: incidents, whoever was told. */
  readonly person: string | null;
  /** Without what was found in imported history. */
  readonly liveOnly: boolean;
}

/** Names that are shown. */
export interface LoadNames {
  readonly rule: (id: string) => string;
  readonly sender: (id: number) => string;
}

/** The load of alarms on everybody, or of messages on one person. */
export async function load(db: Queryable, scope: LoadScope, names: LoadNames): Promise<LoadAnswer> {
  const { fromUs, toUs, person, liveOnly } = scope;
  const incidents = await raisedIncidents(db, fromUs, toUs, MOST);
  const messages = await sentMessages(db, fromUs, toUs, MOST);
  const counted = incidents.filter((i) => !liveOnly || !i.imported);
  const all: readonly (RaisedIncident | SentMessage)[] =
    person === null ? counted : messages.filter((m) => m.to === person);
  const within = all.filter((a) => a.atUs >= fromUs && a.atUs < toUs);
  const raised = counted.filter((i) => i.atUs >= fromUs && i.atUs < toUs);
  const figures = loadOf(all, fromUs, toUs);
  const stepUs = STEPS.find((s) => (toUs - fromUs) / s <= BARS) ?? US_PER_DAY;
  const severe = countsBy(
    within.filter((a) => a.severity <= 3),
    fromUs,
    toUs,
    stepUs,
  );
  return {
    alarms: figures.alarms,
    imported: person === null ? raised.filter((i) => i.imported).length : 0,
    isCut: incidents.length >= MOST || messages.length >= MOST,
    stepSeconds: stepUs / US_PER_SECOND,
    steps: countsBy(within, fromUs, toUs, stepUs).map((count, i) => ({
      from: formatUs(fromUs + i * stepUs),
      count,
      severe: severe[i]!,
    })),
    floods: figures.floods.map((f) => ({ from: formatUs(f.fromUs), to: formatUs(f.toUs), alarms: f.alarms })),
    severities: { high: figures.high, medium: figures.medium, low: figures.low },
    figures: judge(figures),
    rules: mostOf(within, (a) => a.rule).map(({ value, ...of }) => {
      const own = raised.filter((i) => i.rule === value);
      const falseOrExpected = own.filter((i) => i.closedAs === "false" || i.closedAs === "expected").length;
      return {
        id: value,
        name: names.rule(value),
        ...of,
        falseOrExpected,
        closed: own.filter((i) => i.closedAs).length,
      };
    }),
    senders: mostOf(within, (a) => (a.sender === null ? null : String(a.sender))).map(({ value, ...of }) => ({
      name: names.sender(Number(value)),
      ...of,
    })),
    people: mostOf(messages, (m) => m.to).map(({ value, count }) => ({
      to: value,
      messages: count,
      mostInTenMinutes: loadOf(
        messages.filter((m) => m.to === value),
        fromUs,
        toUs,
      ).mostInTenMinutes,
    })),
    acknowledged: spreadOf(raised, (i) => i.acknowledgedUs),
    ended: spreadOf(raised, (i) => i.endedUs),
    closedAs: Object.fromEntries(
      CLOSE_REASONS.map((reason) => [reason, raised.filter((i) => i.closedAs === reason).length]),
    ) as LoadAnswer["closedAs"],
  };
}

function mostOf<A extends Alarm>(
  alarms: readonly A[],
  by: (alarm: A) => string | null,
): { readonly value: string; readonly count: number; readonly share: number }[] {
  const counts = new Map<string, number>();
  for (const alarm of alarms) {
    const value = by(alarm);
    if (value !== null) counts.set(value, (counts.get(value) ?? 0) + 1);
  }
  return [...counts]
    .map(([value, count]) => ({ value, count, share: count / alarms.length }))
    .sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1))
    .slice(0, LISTED);
}

/** How long it took, of those where it has; what was found in history was not waited for. */
function spreadOf(raised: readonly RaisedIncident[], when: (i: RaisedIncident) => number | null) {
  const took = raised
    .flatMap((i) => {
      const us = when(i);
      return us === null || i.imported ? [] : [Math.max(0, us - i.atUs) / US_PER_SECOND];
    })
    .sort((a, b) => a - b);
  const at = (share: number) => took[Math.min(took.length - 1, Math.floor(took.length * share))] ?? null;
  return { of: took.length, median: at(0.5), nineOfTen: at(0.9) };
}
