import type { PartMade, ReportMade } from "@halvik/contract/reports";
import { bandsOf } from "@halvik/core/report";
import { stringify } from "csv-stringify/sync";
import { tableOf } from "./tables.js";

/**
 * A part as CSV (RFC 4180): figures by their digits, moments in UTC; a cell that a spreadsheet would run as a formula is quoted as text.
 * @returns null where the part has no table
 */
export function csvOf(part: PartMade, made: ReportMade): string | null {
  const rows = exactRows(part) ?? null;
  if (rows === null) return null;
  return stringify(rows, { escape_formulas: true, record_delimiter: "windows" });

  function exactRows(p: PartMade): (string | number)[][] | null {
    if (p.is !== "measured") {
      if (p.is === "own figures")
        return [
          ["figure", "value", "before", "unit"],
          ...p.figures.map((f) => [f.name, f.value ?? "", f.before ?? "", f.unit]),
        ];
      if (p.is === "incidents")
        return [
          ["incident", "title", "severity", "state", "first", "last", "evidence", "owner"],
          ...p.incidents.map((i) => [i.id, i.title, i.severity, i.state, i.first, i.last, i.count, i.assignedTo ?? ""]),
        ];
      if (p.is === "records")
        return [
          ["time", "sender", "severity", "what"],
          ...p.records.map((r) => [r.time, r.sender.name, r.severity, r.sentence || r.text]),
        ];
      const table = tableOf(p, made);
      return table === null ? null : [[...table.headings], ...table.rows.map((r) => [...r])];
    }
    const m = p.measured;
    const unit = m.unit || "value";
    if (p.as === "course")
      return [
        ["from", unit, "before"],
        ...m.steps.slice(0, -1).map((at, i) => [at, m.total.steps[i] ?? "", m.stepsBefore[i] ?? ""]),
      ];
    if (p.as === "profile") {
      const bands = bandsOf(m);
      return [
        ["from", ...bands.map((b) => b.name), `all, ${unit}`],
        ...m.steps.slice(0, -1).map((at, i) => [at, ...bands.map((b) => b.steps[i] ?? ""), m.total.steps[i] ?? ""]),
      ];
    }
    return [
      [...m.headings, unit, "records", "before"],
      ...m.rows.map((r) => [...r.labels, r.value ?? "", r.records, r.before ?? ""]),
      [...m.headings.map((_, i) => (i === 0 ? "all" : "")), m.total.value ?? "", m.total.records, m.total.before ?? ""],
    ];
  }
}
