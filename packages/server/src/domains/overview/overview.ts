import type { Overview } from "@halvik/contract/overview";
import { median } from "@halvik/core/base/statistics";
import { formatUs, midnight, nightOf, US_PER_HOUR, zoneOffsetUs } from "@halvik/core/base/time";
import { RECORD_KINDS } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { type Filter, parseFilter } from "@halvik/core/query/filter";
import type { Queryable } from "../../kernel/db/pool.js";
import { everywhereByHour } from "../../store/traffic/read-sums.js";
import { missFlows } from "../../store/traffic/sum-flows.js";
import type { Ask } from "../records/questions.js";
import { type HourSum, incidentsRaised, oldestRecordUs, recordsBySender } from "./repository.js";

const NIGHTS_BEFORE = 6;
/** Fewer nights are no habit. */
const LEAST_NIGHTS = 3;
const DAYS = 7;
const BUDGET_MS = 4_000;

/** What somebody who arrives in the morning asks of the night. Kinds that never came are left out. */
const FIGURES: readonly { readonly name: string; readonly filter: string }[] = [
  { name: "error or worse", filter: "severity at least error" },
  { name: "warnings", filter: "severity is warning" },
  { name: "firewall refusals", filter: "action in deny, reject" },
  { name: "refused logons", filter: "category is logon and outcome is failure" },
  { name: "logons", filter: "category is logon and outcome is success" },
  ...Object.keys(RECORD_KINDS)
    .filter((kind) => kind !== "halvik")
    .map((kind) => ({ name: kind, filter: `kind is ${kind}` })),
];

interface Night {
  readonly fromUs: number;
  readonly toUs: number;
}

type NightValues = Pick<Overview["figures"][number], "lastNight" | "before" | "usual">;

interface Needs {
  readonly db: Queryable;
  readonly ask: Ask;
  readonly senders: SenderDirectory;
  readonly silent: ReadonlySet<number>;
}

/** The last night beside the six before it, each as long as the last one is by now; and the incidents of a week. */
export async function overview({ db, ask, senders, silent }: Needs, zone: string, nowUs: number): Promise<Overview> {
  const whole = nightOf(nowUs, zone);
  const lengthUs = Math.min(whole.toUs, nowUs) - whole.fromUs;
  const nights = Array.from({ length: NIGHTS_BEFORE + 1 }, (_, back): Night => {
    const night = nightOf(nowUs, zone, NIGHTS_BEFORE - back);
    return { fromUs: night.fromUs, toUs: Math.min(night.toUs, night.fromUs + lengthUs) };
  });
  const oldestUs = (await oldestRecordUs(db)) ?? nowUs;
  // before the first record nothing was quiet: nobody listened
  const isKnown = nights.map((n) => n.fromUs >= oldestUs);
  const span = { fromUs: nights[0]!.fromUs, toUs: nights[NIGHTS_BEFORE]!.toUs };
  const figureOf = (sums: readonly HourSum[], exactFromUs: number) => {
    const values = nights.map((n, i) => (isKnown[i] && n.fromUs >= exactFromUs ? sumWithin(sums, n) : null));
    const before = values.slice(0, -1);
    return { lastNight: values[NIGHTS_BEFORE] ?? 0, before, usual: usualOf(before) };
  };
  const figures: Overview["figures"] = [];
  for (const { name, filter } of FIGURES) {
    const { sums, coveredFromUs } = await countsOf(ask, filter, span, zone, nowUs);
    const figure = figureOf(sums, coveredFromUs);
    if (figure.lastNight > 0 || figure.before.some((n) => n !== null && n > 0))
      figures.push({ name, unit: "records", filter, ...figure });
  }
  const traffic = await octetsOf(db, span, nowUs, figureOf);
  if (traffic.lastNight !== 0 || traffic.before.some((n) => n !== null && n > 0))
    figures.unshift({ name: "traffic of flows", unit: "bytes", filter: "", ...traffic });
  return {
    night: { from: formatUs(whole.fromUs), to: formatUs(whole.fromUs + lengthUs) },
    figures,
    sites: sitesOf(await recordsBySender(db, span.fromUs, span.toUs), senders, silent, figureOf, span.fromUs),
    incidents: await incidentsByDay(db, zone, nowUs),
  };
}

/** What flows carried. While some of them are stored and not summed, as after a start with history, any night may miss them. */
async function octetsOf(
  db: Queryable,
  span: Night,
  nowUs: number,
  figureOf: (sums: readonly HourSum[], exactFromUs: number) => NightValues,
): Promise<NightValues> {
  if (await missFlows(db, span, nowUs))
    return { lastNight: null, before: Array.from({ length: NIGHTS_BEFORE }, () => null), usual: null };
  const octets = await everywhereByHour(db, "total", [span]);
  const sums = octets.map(({ fromUs, bytes }) => ({ fromUs, sum: bytes }));
  return figureOf(sums, span.fromUs);
}

async function countsOf(
  ask: Ask,
  text: string,
  span: Night,
  zone: string,
  nowUs: number,
): Promise<{ sums: HourSum[]; coveredFromUs: number }> {
  const parsed = parseFilter(text, { zone: "UTC" });
  if (!parsed.ok) throw new Error(`${text}: ${parsed.error.message}`);
  const filter: Filter = parsed.filter;
  // whole hours of the zone are whole buckets in most zones; half-hours are in all others
  const widthUs = zoneOffsetUs(zone, nowUs) % US_PER_HOUR === 0 ? US_PER_HOUR : US_PER_HOUR / 4;
  const { buckets, exact, coveredFromUs } = await ask(filter).histogram({
    filter,
    ...span,
    nowUs,
    budgetMs: BUDGET_MS,
    widthUs,
  });
  return {
    sums: buckets.map((b) => ({ fromUs: b.fromUs, sum: b.count })),
    coveredFromUs: exact ? span.fromUs : coveredFromUs,
  };
}

const sumWithin = (sums: readonly HourSum[], { fromUs, toUs }: Night): number =>
  sums.reduce((sum, s) => (s.fromUs >= fromUs && s.fromUs < toUs ? sum + s.sum : sum), 0);

function usualOf(before: readonly (number | null)[]): number | null {
  const known = before.filter((n): n is number => n !== null);
  return known.length < LEAST_NIGHTS ? null : median(known);
}

function sitesOf(
  sums: readonly (HourSum & { readonly sender: number })[],
  senders: SenderDirectory,
  silent: ReadonlySet<number>,
  figureOf: (sums: readonly HourSum[], fromUs: number) => { lastNight: number; usual: number | null },
  fromUs: number,
): Overview["sites"] {
  return senders.traitNames("site").map((site) => {
    const ids = new Set(senders.idsWith("site", [site]).filter((id) => senders.get(id)?.state === "admitted"));
    const { lastNight, usual } = figureOf(
      sums.filter((s) => ids.has(s.sender)),
      fromUs,
    );
    return { site, senders: ids.size, silent: [...ids].filter((id) => silent.has(id)).length, lastNight, usual };
  });
}

async function incidentsByDay(db: Queryable, zone: string, nowUs: number): Promise<Overview["incidents"]> {
  const begins = Array.from({ length: DAYS + 1 }, (_, i) => midnight(nowUs, zone, i - DAYS + 1));
  const raised = await incidentsRaised(db, begins[0]!);
  return begins.slice(0, -1).map((fromUs, i) => {
    const ofDay = raised.filter((r) => r.raisedUs >= fromUs && r.raisedUs < begins[i + 1]!);
    return { from: formatUs(fromUs), raised: ofDay.length, errors: ofDay.filter((r) => r.severity <= 3).length };
  });
}
