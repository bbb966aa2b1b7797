import { type EpochUs, US_PER_HOUR, US_PER_MINUTE, zoneOffsetUs } from "@halvik/core/base/time";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { bothOf, quoteIfNeeded } from "@halvik/core/query/filter";
import { CLOCKS, type Clock, clockValue, type MeasuredRow, type OwnMeasure } from "@halvik/core/query/measure";
import type { Window } from "@halvik/core/report";
import { BOUNDED, CUT, DIMENSIONS, type Dimension, filterOf, NO_INTERFACE, sayValue } from "@halvik/core/traffic";
import type { Queryable } from "../../../kernel/db/pool.js";
import { AppError } from "../../../kernel/http/errors.js";
import {
  type Meter,
  type MeterSet,
  onSteps,
  piecesOf,
  readSums,
  readTopBySide,
  readUnlisted,
  type SumRow,
  type SumsKept,
  trafficSources,
  WHOLE_WINDOW,
} from "../../../store/traffic/read-sums.js";
import { isAlwaysKept } from "../../../store/traffic/sum-rows.js";
import { FIVE, keepsLists } from "../../traffic/question.js";
import { metersOf, placesIn } from "../../traffic/scope.js";

/** What sums of traffic are read with. */
export interface TrafficNeeds {
  readonly db: Queryable;
  readonly senders: SenderDirectory;
  /** What an interface of an exporter is called. */
  readonly interfaceName: (exporter: number, index: number) => string;
  /** From when on there are sums by the minute; and which others. */
  readonly minuteSinceUs: EpochUs;
  readonly kept: SumsKept;
  readonly nowUs: EpochUs;
  /** Exporters that may be told of; null: all. */
  readonly within: readonly number[] | null;
}

export interface TrafficMeasured {
  readonly rows: readonly MeasuredRow[];
  readonly total: MeasuredRow;
  /** Whether there are more values than were looked at. */
  readonly full: boolean;
  /** What was estimated from samples, and in which rows; the total has no keys. */
  readonly estimated: { readonly value: number; readonly keys: ReadonlySet<string> } | null;
  /** How much of all, from 0 to 1, is of values that lists of steps do not keep, each of too little of its step. */
  readonly small: number;
  /** What finds the flows of a row; null: no filter does. */
  readonly filterOf: (keys: readonly string[]) => string | null;
}

/** Values that are looked at of a dimension, by place; of so many of them, the most or the least, steps are told. */
const [MOST_VALUES, MOST_IN_STEPS] = [50_000, 100];

/** Meters that are told of together. */
interface Place {
  /** By grouping: what it is called. */
  readonly names: Readonly<Record<string, string>>;
  readonly meters: readonly Omit<Meter, "side">[];
  readonly filter: string;
  /** Its meters are all there is, each conversation counted once. */
  readonly isEverything?: true;
}

const DIRECTIONS = ["in", "out"] as const;

/**
 * Traffic of a window by what Traffic itself is told by: sums of flows, spread over their time. Told apart by exporter, interface or direction, or of
 * some of them, it counts as exported; by site, once at each; else each conversation once (`docs/traffic.md`).
 * @param steps their beginnings, ascending, and the end of the last
 * @throws {AppError} where an exporter, interface or site is named that there is not
 */
export async function measureTraffic(
  needs: TrafficNeeds,
  asked: OwnMeasure,
  window: Window,
  steps: readonly EpochUs[] | null,
  zone: string,
): Promise<TrafficMeasured> {
  const { db, senders } = needs;
  const dimension: Dimension = DIMENSIONS.find((d) => asked.by.includes(d)) ?? "total";
  const places = placesAsked(needs, asked, await trafficSources(db), window);
  const meters: MeterSet = {
    meters: places.flatMap((p, side) => p.meters.map((m) => ({ ...m, side }))),
    whole: places.some((p) => p.isEverything) ? needs.kept.derived : null,
  };
  const isByClock = asked.by.some(isClock);
  const edges = steps ?? [window.fromUs, window.toUs];
  const finest = widthFor(needs, dimension, edges, isByClock ? zone : null);
  const inSteps = steps !== null || isByClock;
  const { width, pieces, all } = await sumsFor(needs, meters, dimension, window, finest, inSteps, steps !== null);
  const what = asked.figure.of === "count" ? "flows" : (("number" in asked.figure && asked.figure.number) as Amount);

  const wholes = await readSums(db, meters, "total", pieces, inSteps ? width : WHOLE_WINDOW);
  const told = new Told(asked, places, edges, steps === null ? null : width, zone, what);
  for (const row of wholes) told.addToTotal(row);
  // what lies between two steps of sums is counted with the first; beyond the present there is nothing
  const isExact = edges.every((at) => at % width === 0 || at >= needs.nowUs - width);
  if (dimension === "total") {
    for (const row of wholes) told.add(row, "");
    return told.result(isExact, false, 0, () => null);
  }
  const { applications } = senders;
  const said = (value: string) => sayValue(dimension, value, applications);
  const top = await readTopBySide(db, meters, dimension, all, what, MOST_VALUES);
  const labels = new Map<string, string>();
  const samples = new Map<string, string>();
  for (const { value } of top) {
    if (value === CUT || labels.has(value)) continue;
    const { label } = said(value);
    labels.set(value, label);
    if (!samples.has(label)) samples.set(label, value);
  }
  if (!isByClock)
    for (const row of top) if (row.value !== CUT) told.add({ ...row, fromUs: null }, labels.get(row.value)!);
  if (inSteps) {
    const order = asked.order === "least" ? [...labels.keys()].reverse() : [...labels.keys()];
    const chosen = new Set(order.slice(0, MOST_IN_STEPS).map((v) => labels.get(v)!));
    const values = order.filter((v) => chosen.has(labels.get(v)!));
    for (const row of values.length === 0 ? [] : await readSums(db, meters, dimension, pieces, width, values))
      if (isByClock) told.add(row, labels.get(row.value)!);
      else told.addToSteps(row, labels.get(row.value)!);
  }
  const cut = top.reduce((sum, r) => sum + (r.value === CUT ? r[what] : 0), 0);
  const unlisted = isAlwaysKept(dimension) ? 0 : await readUnlisted(db, meters, all);
  const isLess = BOUNDED.has(dimension) && (cut > 0 || unlisted > 0);
  return told.result(isExact && !isLess, top.length >= MOST_VALUES, cut, (label) => {
    const value = samples.get(label);
    return value === undefined ? null : filterOf(dimension, value, said(value));
  });
}

type Amount = "bytes" | "packets" | "flows";
const isDimension = (name: string): boolean => DIMENSIONS.some((d) => d === name);
const isClock = (name: string): name is Clock => CLOCKS.some((c) => c === name);

/** By the finest sums that its edges need, and that are kept that long. @param zone whose hours it is told by; null: none */
function widthFor(
  { minuteSinceUs, kept }: TrafficNeeds,
  dimension: Dimension,
  edges: readonly EpochUs[],
  zone: string | null,
): number {
  const [fromUs] = edges as [EpochUs];
  const inner = edges.slice(0, -1);
  const hours = zone === null || zoneOffsetUs(zone, fromUs) % US_PER_HOUR === 0;
  if (hours && inner.every((at) => at % US_PER_HOUR === 0) && edges[edges.length - 1]! % US_PER_HOUR === 0)
    return US_PER_HOUR;
  const isFine = dimension === "total" || dimension === "application";
  if (isFine && fromUs >= minuteSinceUs && inner.slice(1).some((at) => at % FIVE !== 0)) return US_PER_MINUTE;
  return fromUs >= kept.fiveSinceUs ? FIVE : US_PER_HOUR;
}

/**
 * Which sums are read: where steps of five minutes have no lists, those of hours, unless steps are asked for that are finer.
 * @returns `pieces` as they are told, step by step where there are any; `all` for what is told of the whole window
 */
async function sumsFor(
  { db, kept }: TrafficNeeds,
  meters: MeterSet,
  dimension: Dimension,
  window: Window,
  finest: number,
  inSteps: boolean,
  hasSteps: boolean,
) {
  const at = (width: number, of: SumsKept) => {
    const { fromUs, toUs } = onSteps(window.fromUs, window.toUs, width);
    const all = piecesOf(fromUs, toUs, width < FIVE ? width : WHOLE_WINDOW, of);
    return { width, pieces: inSteps ? piecesOf(fromUs, toUs, width, of) : all, all };
  };
  const fine = at(finest, kept);
  if (isAlwaysKept(dimension)) return fine;
  if (hasSteps && finest < US_PER_HOUR) return { ...fine, all: fine.pieces };
  const flows = (await readSums(db, meters, "total", fine.all, WHOLE_WINDOW)).reduce((n, r) => n + r.flows, 0);
  const isBusy = keepsLists(flows, meters.meters.length, window.toUs - window.fromUs);
  return isBusy ? fine : at(US_PER_HOUR, { ...kept, fiveSinceUs: Number.POSITIVE_INFINITY });
}

/** Rows and their total while they are gathered. */
class Told {
  private readonly rows = new Map<string, Gathered>();
  private readonly total: Gathered;
  private readonly estimated = { bytes: 0, all: 0, keys: new Set<string>() };

  constructor(
    private readonly asked: OwnMeasure,
    private readonly places: readonly Place[],
    private readonly edges: readonly EpochUs[],
    /** Width of the steps of sums that are read; null: no steps are told of. */
    private readonly width: number | null,
    private readonly zone: string,
    private readonly what: Amount,
  ) {
    this.total = this.nothing([]);
  }

  addToTotal(row: SumRow): void {
    this.addTo(this.total, row);
    this.estimated.bytes += row.estimated;
    this.estimated.all += row.bytes;
    if (row.estimated > 0) this.estimated.keys.add("[]");
  }

  /** @param row without a time: of the whole window */
  add(row: Omit<SumRow, "fromUs"> & { readonly fromUs: EpochUs | null }, label: string): void {
    if (this.asked.by.length > 0) this.addTo(this.rowOf(row, label), row);
  }

  /** What a row that is there already had in a step. */
  addToSteps(row: SumRow, label: string): void {
    this.addToStep(this.rowOf(row, label), row);
  }

  result(exact: boolean, full: boolean, cut: number, filterOfLabel: (label: string) => string | null): TrafficMeasured {
    const { asked, places, estimated } = this;
    const rows = [...this.rows.values()].map((r) => ({ ...r, exact }));
    const share = estimated.all > 0 ? estimated.bytes / estimated.all : 0;
    return {
      rows,
      total: {
        ...this.total,
        value: this.total.records === 0 && this.what !== "flows" ? null : this.total.value,
        exact,
      },
      full,
      small: this.total.value > 0 ? cut / this.total.value : 0,
      estimated: estimated.bytes > 0 ? { value: share * this.total.value, keys: estimated.keys } : null,
      filterOf: (keys) => {
        if (asked.by.some(isClock)) return null;
        const place = places.find((p) => asked.by.every((name, i) => (p.names[name] ?? keys[i]) === keys[i]));
        const at = asked.by.findIndex(isDimension);
        const of = at < 0 ? "" : filterOfLabel(keys[at]!);
        return of === null || place === undefined ? null : bothOf(bothOf("kind is flow", place.filter), of);
      },
    };
  }

  private rowOf(
    { fromUs, side, rate }: { fromUs: EpochUs | null; side: number; rate: number },
    label: string,
  ): Gathered {
    const { names } = this.places[side]!;
    const keys = this.asked.by.map((name) =>
      isClock(name) ? clockValue(name, fromUs!, this.zone) : (names[name] ?? label),
    );
    const key = JSON.stringify(keys);
    const known = this.rows.get(key) ?? this.nothing(keys);
    this.rows.set(key, known);
    if (rate > 1) this.estimated.keys.add(key);
    return known;
  }

  private addTo(to: Gathered, row: Omit<SumRow, "fromUs"> & { readonly fromUs: EpochUs | null }): void {
    to.value += row[this.what];
    to.records += row.flows;
    if (row.fromUs !== null) this.addToStep(to, { ...row, fromUs: row.fromUs });
  }

  private addToStep(to: Gathered, row: SumRow): void {
    if (this.width === null) return;
    // a period may begin within a step of sums: what lies in that one is spread evenly
    const part = Math.min(1, (row.fromUs + this.width - this.edges[0]!) / this.width);
    let at = this.edges.length - 2;
    while (at > 0 && this.edges[at]! > row.fromUs) at--;
    to.steps[at] = (to.steps[at] ?? 0) + part * row[this.what];
  }

  private nothing(keys: readonly string[]): Gathered {
    const steps = new Array<number | null>(this.width === null ? 0 : this.edges.length - 1).fill(null);
    return { keys, value: 0, records: 0, exact: true, steps };
  }
}

interface Gathered {
  readonly keys: readonly string[];
  value: number;
  records: number;
  readonly exact: boolean;
  readonly steps: (number | null)[];
}

type Sources = Awaited<ReturnType<typeof trafficSources>>;

/** What is meant, by place. */
function placesAsked(needs: TrafficNeeds, asked: OwnMeasure, sources: Sources, window: Window): Place[] {
  const { senders } = needs;
  const wanted = (name: string): readonly string[] | null => {
    const of = asked.only.filter((o) => o.by === name && o.is.length > 0);
    return of.length === 0 ? null : of.flatMap((o) => o.is);
  };
  const exporters = exportersIn(needs, sources, wanted("exporter"), wanted("site"));
  const interfaces = wanted("interface");
  const nameOf = (id: number) => senders.name(id);
  const ofExporter = (id: number) => `sender is ${quoteIfNeeded(nameOf(id))}`;
  const inFrom = (ids: readonly number[]) =>
    placesIn({ count: "exported" }, sources, senders).filter((p) => ids.includes(p.exporter));

  if (interfaces !== null || asked.by.includes("interface")) {
    const all = exporters.ids.flatMap((id) => placesIn({ exporter: id, count: "exported" }, sources, senders));
    const label = (p: (typeof all)[number]) => `${nameOf(p.exporter)} ${needs.interfaceName(p.exporter, p.interface!)}`;
    const chosen = interfaces === null ? all : all.filter((p) => interfaces.some((i) => isSame(i, label(p))));
    if (chosen.length === 0 && interfaces !== null) throw unknown("interface", interfaces, all.map(label));
    return chosen.flatMap((p) => {
      const at = (end: string) => (p.interface === NO_INTERFACE ? `${end} missing` : `${end} is ${p.interface}`);
      const filter = bothOf(ofExporter(p.exporter), `(${at("ingress")} or ${at("egress")})`);
      const names: Place["names"] = asked.by.includes("interface") ? { interface: label(p) } : {};
      if (!asked.by.includes("direction")) return [{ names, meters: p.meters, filter }];
      return DIRECTIONS.map((direction, side) => ({
        names: { ...names, direction },
        meters: p.meters.filter((m) => m.side === side),
        filter: bothOf(ofExporter(p.exporter), at(side === 0 ? "ingress" : "egress")),
      }));
    });
  }
  if (asked.by.includes("exporter"))
    return inFrom(exporters.ids).map((p) => ({
      names: { exporter: nameOf(p.exporter) },
      meters: p.meters,
      filter: ofExporter(p.exporter),
    }));
  if (asked.by.includes("site")) {
    const sites = [...new Set(exporters.ids.flatMap((id) => senders.get(id)?.site ?? []))].sort();
    return sites.map((site) => ({
      names: { site },
      meters: metersOf({ site, count: "once" }, sources, senders, window).meters,
      filter: `sender in site ${quoteIfNeeded(site)}`,
    }));
  }
  if (exporters.isAll)
    return [
      {
        names: {},
        meters: metersOf({ count: "once" }, sources, senders, window).meters,
        filter: "",
        isEverything: true,
      },
    ];
  if (exporters.site !== null)
    return [
      {
        names: {},
        meters: metersOf({ site: exporters.site, count: "once" }, sources, senders, window).meters,
        filter: `sender in site ${quoteIfNeeded(exporters.site)}`,
      },
    ];
  const filter = `sender in ${exporters.ids.map((id) => quoteIfNeeded(nameOf(id))).join(", ")}`;
  return [{ names: {}, meters: inFrom(exporters.ids).flatMap((p) => p.meters), filter }];
}

/** Exporters that are meant; `site`: all of one site, and no others. */
function exportersIn(
  { senders, within }: TrafficNeeds,
  sources: Sources,
  named: readonly string[] | null,
  sites: readonly string[] | null,
): { readonly ids: readonly number[]; readonly isAll: boolean; readonly site: string | null } {
  const everyone = [...new Set(sources.map((s) => s.sender))];
  const all = everyone.filter((id) => within?.includes(id) ?? true);
  const siteOf = (id: number) => senders.get(id)?.site ?? null;
  const atSites = sites === null ? all : all.filter((id) => sites.some((s) => isSame(s, siteOf(id) ?? "")));
  if (sites !== null && atSites.length === 0)
    throw unknown("site", sites, [...new Set(all.flatMap((id) => siteOf(id) ?? []))]);
  if (named === null)
    return {
      ids: atSites,
      isAll: sites === null && within === null,
      site: sites?.length === 1 ? siteOf(atSites[0]!) : null,
    };
  const ids = atSites.filter((id) => named.some((n) => isSame(n, senders.name(id))));
  if (ids.length === 0)
    throw unknown(
      "exporter",
      named,
      all.map((id) => senders.name(id)),
    );
  return { ids, isAll: false, site: null };
}

const isSame = (a: string, b: string): boolean => a.toLowerCase() === b.toLowerCase();
const MOST_SAID = 12;

function unknown(what: string, got: readonly string[], known: readonly string[]): AppError {
  const some = known.slice(0, MOST_SAID).join(", ");
  return new AppError(
    "BAD_REQUEST",
    `only: no ${what} ${got.join(", ")} measures traffic; expected one of ${some || "none"}`,
    {
      field: "only",
    },
  );
}
