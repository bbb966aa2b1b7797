import type { Measured, PartMade, ReportMade } from "@halvik/contract/reports";
import { bandsOf, sayChange, sayOwn, sayUnit, sayValue, type Unit } from "@halvik/core/report";
import { minuteIn, momentIn, roughly } from "./honesty.js";

/** A part as a table: what is read, and what a spreadsheet reckons with. */
export interface TableOf {
  readonly headings: readonly string[];
  /** As people read them. */
  readonly rows: readonly (readonly string[])[];
  /** Columns of figures, which stand on the right. */
  readonly figures: readonly number[];
}

const share = (m: Measured, value: number | string | null): string =>
  !m.addsUp || value === null || Number(m.total.value ?? 0) === 0
    ? ""
    : sayValue((100 * Number(value)) / Number(m.total.value), "%");

/** A measured part by its rows. */
export function tableOfRows(m: Measured): TableOf {
  const compared = m.total.before !== undefined;
  const unit = m.unit as Unit;
  const headings = [
    ...m.headings,
    sayUnit(unit),
    ...(m.addsUp ? ["share"] : []),
    ...(compared ? ["before", "change"] : []),
  ];
  const row = (labels: readonly string[], r: Measured["total"]): string[] => [
    ...labels,
    `${roughly(r)}${sayValue(r.value, unit)}`,
    ...(m.addsUp ? [share(m, r.value)] : []),
    ...(compared ? [sayValue(r.before ?? null, unit), sayChange(r.value, r.before) ?? ""] : []),
  ];
  const rows = m.rows.map((r) => row(r.labels, r));
  if (m.headings.length > 0) {
    rows.push(
      row([m.others > 0 ? `all, with ${m.others} more` : "all", ...m.headings.slice(1).map(() => "")], m.total),
    );
  } else rows.push(row([], m.total));
  return { headings, rows, figures: headings.map((_, i) => i).slice(m.headings.length) };
}

/** A course by its steps. */
export function tableOfSteps(m: Measured, zone: string): TableOf {
  const compared = m.stepsBefore.length > 0;
  const unit = m.unit as Unit;
  const rows = m.steps
    .slice(0, -1)
    .map((at, i) => [
      minuteIn(zone, at),
      sayValue(m.total.steps[i] ?? null, unit),
      ...(compared ? [sayValue(m.stepsBefore[i] ?? null, unit)] : []),
    ]);
  return { headings: ["from", sayUnit(unit), ...(compared ? ["before"] : [])], rows, figures: [1, 2] };
}

/** A profile by its steps: a column a band. */
export function tableOfProfile(m: Measured, zone: string): TableOf {
  const unit = m.unit as Unit;
  const bands = bandsOf(m);
  const rows = m.steps
    .slice(0, -1)
    .map((at, i) => [
      minuteIn(zone, at),
      ...bands.map((b) => sayValue(b.steps[i] ?? null, unit)),
      sayValue(m.total.steps[i] ?? null, unit),
    ]);
  return {
    headings: ["from", ...bands.map((b) => b.name), `all, ${sayUnit(unit)}`],
    rows,
    figures: [...bands.map((_, i) => i + 1), bands.length + 1],
  };
}

/** The cells of hours by days: `rows` are days, Monday first. */
export function hoursOf(m: Measured): number[][] {
  const days = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
  const cells = days.map(() => new Array<number>(24).fill(0));
  for (const r of m.rows) cells[days.indexOf(r.labels[0]!)]![Number(r.labels[1]!.slice(0, 2))] = Number(r.value ?? 0);
  return cells;
}

export const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"] as const;

/** Any part that has a table. */
export function tableOf(part: PartMade, { zone }: Pick<ReportMade, "zone">): TableOf | null {
  switch (part.is) {
    case "measured":
      if (part.as === "course") return tableOfSteps(part.measured, zone);
      return part.as === "profile" ? tableOfProfile(part.measured, zone) : tableOfRows(part.measured);
    case "own figures": {
      const compared = part.figures.some((f) => f.before !== undefined);
      return {
        headings: ["figure", "value", ...(compared ? ["before", "change"] : [])],
        rows: part.figures.map((f) => [
          f.name,
          sayOwn(f.value, f.unit),
          ...(compared
            ? [f.before === undefined ? "" : sayOwn(f.before, f.unit), sayChange(f.value, f.before) ?? ""]
            : []),
        ]),
        figures: [1, 2, 3],
      };
    }
    case "incidents":
      return {
        headings: ["incident", "severity", "state", "from", "to", "evidence", "owner"],
        rows: part.incidents.map((i) => [
          i.title,
          i.severity,
          i.closeReason === null ? i.state : `${i.state}: ${i.closeReason}`,
          momentIn(zone, i.first),
          momentIn(zone, i.last),
          String(i.count),
          i.assignedTo ?? "",
        ]),
        figures: [5],
      };
    case "records":
      return {
        headings: ["time", "sender", "severity", "what"],
        rows: part.records.map((r) => [momentIn(zone, r.time), r.sender.name, r.severity, r.sentence || r.text]),
        figures: [],
      };
    default:
      return null;
  }
}
