import { US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { aboutOf, entityValues } from "@halvik/core/detect";
import { bytesText } from "@halvik/core/meaning/sentence";
import { readEntity } from "@halvik/core/model/entity";
import type { FieldName } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { type Filter, parseFilter } from "@halvik/core/query/filter";
import {
  type CountLook,
  type Far,
  farAbove,
  firstSeen,
  LEAST_DAYS,
  type Look,
  looksOf,
  type Thing,
} from "@halvik/core/respond/unusual";
import { CUT } from "@halvik/core/traffic";
import type { Queryable } from "../../kernel/db/pool.js";
import { fieldValues } from "../../store/field-values.js";
import { histogram } from "../../store/histogram.js";
import { keptOf } from "../../store/segments.js";
import type { TermIndex } from "../../store/term-index.js";
import { everywhereByHour } from "../../store/traffic/read-sums.js";
import { joiningRules } from "./joints-repository.js";
import { findIncident } from "./repository.js";
import { mainsOf } from "./unusual-repository.js";

/** What it is held against: as many days before, as far as records are kept. */
const DAYS = 28;
/** Of an incident that lasts, its first day is looked at. */
const MOST_HOURS = 24;
/** Looking may take this long in all; what is left then is said. */
const BUDGET_MS = 4_000;
const VALUES = 200;
const MOST_BEFORE = 20_000;
const MOST_LINES = 10;
const LEAST_RECORDS = 5;
const LEAST_OCTETS = 10_000_000;

/** Something that was unusual of what an incident is about, and why. */
export interface UnusualLine {
  readonly says: string;
  readonly why: string;
  /** Finds the records. */
  readonly filter: string;
  /** Of an amount: how many times what is usual, for the order; null: it was the first. */
  readonly times: number | null;
}

export interface Unusual {
  readonly lines: readonly UnusualLine[];
  readonly fromUs: number;
  readonly toUs: number;
  /** Days it was held against; fewer than LEAST_DAYS: nothing can be said. */
  readonly days: number;
  /** Looks for which there was no time. */
  readonly notLooked: number;
}

interface Looking {
  readonly db: Queryable;
  readonly directory: SenderDirectory;
  readonly terms: TermIndex;
  /** Whole hours. */
  readonly fromUs: number;
  readonly toUs: number;
  readonly days: number;
  readonly endsMs: number;
}

/** What else was unusual of what an incident is about, while it happened: first sightings and amounts far from usual. Null: there is no such incident. */
export async function unusualThen(
  db: Queryable,
  id: number,
  directory: SenderDirectory,
  terms: TermIndex,
): Promise<Unusual | null> {
  const row = await findIncident(db, id);
  if (row === null) return null;
  const fromUs = Math.floor(row.first_us / US_PER_HOUR) * US_PER_HOUR;
  const toUs = Math.min(Math.ceil((row.last_us + 1) / US_PER_HOUR) * US_PER_HOUR, fromUs + MOST_HOURS * US_PER_HOUR);
  const { keptUs } = await keptOf(db, { fromUs: fromUs - DAYS * US_PER_DAY, toUs });
  const days = keptUs === null ? 0 : Math.min(DAYS, Math.max(0, Math.floor((fromUs - keptUs) / US_PER_DAY)));
  const found: Unusual = { lines: [], fromUs, toUs, days, notLooked: 0 };
  if (days < LEAST_DAYS) return found;
  const looking = { db, directory, terms, fromUs, toUs, days, endsMs: performance.now() + BUDGET_MS };
  const lines: UnusualLine[] = [];
  let notLooked = 0;
  for (const look of looksOf(await thingsOf(db, id, row.entities, directory))) {
    if (performance.now() > looking.endsMs) notLooked++;
    else lines.push(...(await lookAt(looking, look)));
  }
  const order = (l: UnusualLine) => l.times ?? Number.POSITIVE_INFINITY;
  return { ...found, lines: lines.sort((a, b) => order(b) - order(a)).slice(0, MOST_LINES), notLooked };
}

/** What it suspects and is about comes first, then whatever else it names. */
async function thingsOf(
  db: Queryable,
  incident: number,
  entities: readonly string[],
  directory: SenderDirectory,
): Promise<Thing[]> {
  const rules = new Map((await joiningRules(db)).map((r) => [r.id, r]));
  const mains = await mainsOf(db, incident);
  const about = mains.flatMap(({ rule, key }) => {
    const known = rules.get(rule);
    return known === undefined ? [] : aboutOf(known, key);
  });
  const codes = [...new Set([...mains.flatMap((m) => m.suspects), ...about, ...entities])];
  return codes.flatMap((code) => {
    const { field } = readEntity(code);
    return entityValues(field, [code], directory).map((value) => ({ field, value }));
  });
}

async function lookAt(looking: Looking, look: Look): Promise<UnusualLine[]> {
  const known = await recordsBefore(looking, look.all);
  const name = look.thing.value;
  if (known === 0)
    return [{ says: name, why: `not seen in the ${looking.days} days before`, filter: look.all, times: null }];
  const out: UnusualLine[] = [];
  for (const sight of look.sights) {
    const first = await firstOf(looking, sight.field, sight.filter);
    // so many at once are a scan, and say one thing
    if (first.length > 3)
      out.push({
        says: sight.says(`${first.length} others`),
        why: firstIn(looking),
        filter: sight.filter,
        times: null,
      });
    else
      out.push(
        ...first.map((value) => ({
          says: sight.says(value),
          why: firstIn(looking),
          filter: sight.filter,
          times: null,
        })),
      );
  }
  for (const count of look.counts) {
    const far = await countOf(looking, count);
    if (far !== null) out.push(lineOf(count.says, count.filter, far, String));
  }
  if (look.sends) {
    const far = await sentBy(looking, name);
    if (far !== null) out.push(lineOf(`octets sent by ${name}`, `kind is flow and src is ${name}`, far, bytesText));
  }
  return out;
}

const firstIn = ({ days }: Looking): string => `first in ${days} days`;

const lineOf = (says: string, filter: string, far: Far, say: (n: number) => string): UnusualLine => ({
  says,
  filter,
  why: `${say(far.now)}; usual in these hours ${say(far.usual)}, at most ${say(far.most)} on ${far.days} days`,
  times: far.now / Math.max(1, far.usual),
});

function scope({ directory, terms, endsMs }: Looking, filter: Filter, fromUs: number, toUs: number) {
  return { filter, fromUs, toUs, directory, nowUs: toUs, budgetMs: Math.max(50, endsMs - performance.now()), terms };
}

/** @returns null where time was over first */
async function recordsBefore(looking: Looking, filter: string): Promise<number | null> {
  const { db, fromUs, days } = looking;
  const found = await histogram(db, scope(looking, read(filter), fromUs - days * US_PER_DAY, fromUs), US_PER_DAY);
  return found.total > 0 || found.exact ? found.total : null;
}

async function firstOf(looking: Looking, field: FieldName, filter: string): Promise<string[]> {
  const { db, fromUs, toUs, days } = looking;
  const now = await fieldValues(db, scope(looking, read(filter), fromUs, toUs), { field }, VALUES);
  if (now.values.length === 0) return [];
  const before = await fieldValues(
    db,
    scope(looking, read(filter), fromUs - days * US_PER_DAY, fromUs),
    { field },
    MOST_BEFORE,
  );
  // what was not counted to its end cannot say what never came
  if (!before.exact || before.distinct > MOST_BEFORE) return [];
  const first = firstSeen(
    now.values.map((v) => v.value),
    new Set(before.values.map((v) => v.value)),
  );
  const written = new Map(now.values.map((v) => [v.value, v.written ?? v.value]));
  return first.map((value) => (field === "sender" ? looking.directory.name(Number(value)) : written.get(value)!));
}

async function countOf(looking: Looking, { filter }: CountLook): Promise<Far | null> {
  const { db, fromUs, toUs, days } = looking;
  const found = await histogram(db, scope(looking, read(filter), fromUs - days * US_PER_DAY, toUs), US_PER_HOUR);
  if (!found.exact) return null;
  const byHour = new Map(found.buckets.map((b) => [b.fromUs / US_PER_HOUR, b.count]));
  const { now, before } = sameHours(looking, byHour);
  return farAbove(now, before, LEAST_RECORDS);
}

async function sentBy(looking: Looking, address: string): Promise<Far | null> {
  const { db, fromUs, toUs, days } = looking;
  const stretches = Array.from({ length: days + 1 }, (_, day) => ({
    fromUs: fromUs - day * US_PER_DAY,
    toUs: toUs - day * US_PER_DAY,
  }));
  const sums = await everywhereByHour(db, "source", stretches, [address, CUT]);
  const byHour = (values: readonly string[]): Map<number, number> => {
    const hours = new Map<number, number>();
    for (const { fromUs: at, value, bytes } of sums)
      if (values.includes(value)) hours.set(at / US_PER_HOUR, (hours.get(at / US_PER_HOUR) ?? 0) + bytes);
    return hours;
  };
  // where it is not among the greatest of an hour, it may have sent as much as the greatest of those that are not listed
  return farAbove(
    sameHours(looking, byHour([address])).now,
    sameHours(looking, byHour([address, CUT])).before,
    LEAST_OCTETS,
  );
}

/** The hours of the incident, then the same ones of each day before. */
function hoursOf({ fromUs, toUs, days }: Looking): number[][] {
  const first = fromUs / US_PER_HOUR;
  const hours = Array.from({ length: (toUs - fromUs) / US_PER_HOUR }, (_, i) => first + i);
  return Array.from({ length: days + 1 }, (_, day) => hours.map((h) => h - day * 24));
}

function sameHours(looking: Looking, byHour: ReadonlyMap<number, number>): { now: number; before: number[] } {
  const [now, ...before] = hoursOf(looking).map((hours) => hours.reduce((sum, h) => sum + (byHour.get(h) ?? 0), 0));
  return { now: now!, before };
}

function read(filter: string): Filter {
  const parsed = parseFilter(filter, { zone: "UTC" });
  if (!parsed.ok) throw new Error(`a filter of our own cannot be read: ${filter}`);
  return parsed.filter;
}
