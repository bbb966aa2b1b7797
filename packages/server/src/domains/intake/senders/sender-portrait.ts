import { type SenderPortrait, wayCounts } from "@halvik/contract/senders";
import { formatUs, US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { KINDS } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Queryable } from "../../../kernel/db/pool.js";
import { recordsWithin } from "../../../store/rollups.js";
import { droppedWithin } from "../arriving/use-repository.js";
import {
  calledOf,
  countersOf,
  hoursOfSender,
  namedIn,
  undecodableOf,
  type WayHour,
  waysOfSender,
} from "./portrait-repository.js";

const DAYS = 7;
const HOURS = DAYS * 24;

const sum = (of: readonly number[]): number => of.reduce((n, one) => n + one, 0);

/** What a sender sends against what it usually does, what of it was lost or could not be read, and what names it. Null: there is none. */
export async function senderPortrait(
  db: Queryable,
  directory: SenderDirectory,
  id: number,
  /** Who asks. */
  who: string,
  nowUs: number,
): Promise<SenderPortrait | null> {
  const sender = directory.get(id);
  if (sender === undefined) return null;
  const toUs = Math.floor(nowUs / US_PER_HOUR) * US_PER_HOUR;
  const fromUs = toUs - DAYS * US_PER_DAY;
  const [rows, all, called, counters, undecodable, uses, dropped, ways] = await Promise.all([
    hoursOfSender(db, id, fromUs, toUs),
    recordsWithin(db, toUs - US_PER_DAY, toUs),
    calledOf(db, id),
    countersOf(db, id),
    undecodableOf(db, sender.addresses),
    namedIn(db, sender.name, who),
    droppedWithin(db, { fromUs, toUs: nowUs }),
    waysOfSender(db, id, fromUs, nowUs),
  ]);
  const first = fromUs / US_PER_HOUR;
  const firstHeard = rows.length === 0 ? null : Math.min(...rows.map((r) => r.hour));
  // the days before the last one on which it can have sent
  const daysBefore = firstHeard === null ? 0 : Math.max(0, (first + HOURS - 24 - firstHeard) / 24);
  const compared = (of: (r: (typeof rows)[number]) => boolean) => {
    const hours = new Array<number>(HOURS).fill(0);
    for (const r of rows) if (of(r)) hours[r.hour - first] = hours[r.hour - first]! + r.count;
    const day = sum(hours.slice(-24));
    // of less than a day nothing is usual
    return { hours, day, usual: daysBefore < 1 ? null : (sum(hours) - day) / daysBefore };
  };
  const { day, hours } = compared(() => true);
  return {
    from: formatUs(fromUs),
    hours,
    kinds: KINDS.flatMap((kind) => {
      const of = compared((r) => r.kind === kind);
      return of.day === 0 && !of.usual ? [] : [{ kind, ...of }];
    }),
    severities: Array.from({ length: 8 }, (_, severity) => ({
      severity,
      ...compared((r) => r.severity === severity),
    })).filter((s) => s.day > 0 || (s.usual ?? 0) > 0),
    share: all > 0 ? day / all : 0,
    called: called.map(({ sinceUs, untilUs, ...c }) => ({
      ...c,
      since: sinceUs === null ? null : formatUs(sinceUs),
      until: untilUs === null ? null : formatUs(untilUs),
    })),
    undecodable: undecodable.map((u) => ({
      endpoint: u.endpoint,
      at: formatUs(u.atUs),
      code: u.code,
      message: u.message,
      offset: u.offset,
      hex: u.sample.toString("hex"),
    })),
    ways: waysJson(ways, fromUs / US_PER_HOUR),
    clock: clockJson(ways, fromUs / US_PER_HOUR),
    uses,
    rulesDrop: dropped > 0,
    counters: counters.map(({ atUs, theirs, ours, who }, i) => {
      const before = counters[i + 1];
      return {
        at: formatUs(atUs),
        theirs,
        who,
        since:
          before === undefined
            ? null
            : { theirs: theirs - before.theirs, ours: ours - before.ours, from: formatUs(before.atUs) },
      };
    }),
  };
}

/** The hours of the last days and the one that goes on. */
const WAY_HOURS = HOURS + 1;

function waysJson(rows: readonly WayHour[], first: number): SenderPortrait["ways"] {
  return [...new Set(rows.map((r) => r.endpoint))]
    .map((endpoint) => {
      const of = rows.filter((r) => r.endpoint === endpoint);
      const byHour = new Map(of.map((r) => [r.hour, r]));
      return {
        endpoint,
        lastUs: Math.max(...of.map((r) => r.lastUs)),
        hours: Array.from({ length: WAY_HOURS }, (_, i) => {
          return wayCounts(byHour.get(first + i));
        }),
      };
    })
    .sort((a, b) => b.lastUs - a.lastUs)
    .map(({ lastUs, ...way }) => ({ ...way, last: formatUs(lastUs) }));
}

function clockJson(rows: readonly WayHour[], first: number): SenderPortrait["clock"] {
  return Array.from({ length: WAY_HOURS }, (_, i) => {
    const of = rows.filter((r) => r.hour === first + i);
    if (of.length === 0) return null;
    return {
      least: Math.min(...of.map((r) => r.offsetLeastUs)) / 1_000,
      most: Math.max(...of.map((r) => r.offsetMostUs)) / 1_000,
    };
  });
}
