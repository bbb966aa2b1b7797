/**
 * How long a report takes to become a PDF, and what memory: `node scripts/bench.mjs report-pdf [tables] [rows]`. The default makes twenty pages.
 */
import type { Measured, ReportMade } from "@halvik/contract/reports";
import { pdfOf } from "../packages/server/src/domains/reports/output/pdf.js";

const [tables, rows] = [Number(process.argv[2] ?? 11), Number(process.argv[3] ?? 75)];
const at = (hour: number) => new Date(Date.UTC(2026, 10, 1, hour)).toISOString();
const row = (i: number): Measured["total"] => ({
  labels: [`10.20.${i >> 8}.${i & 255}`, `files-${i % 7}.orvane.example`],
  value: 1_000_000 - i * 997,
  before: 900_000 - i * 311,
  records: 10,
  exact: true,
  steps: [],
  filter: null,
});
const measured = (of: number): Measured => ({
  asked: {
    figure: { of: "records" },
    filter: "",
    by: [{ field: "src" }, { field: "host" }],
    order: "most",
    top: 0,
    perSecond: false,
  },
  says: "records by src and host",
  unit: "records",
  headings: ["src", "host"],
  rows: Array.from({ length: rows }, (_, i) => row(of * rows + i)),
  total: { ...row(0), labels: [], steps: Array.from({ length: 48 }, (_, i) => (i * 37) % 91) },
  others: 12,
  addsUp: true,
  steps: Array.from({ length: 49 }, (_, i) => at(i)),
  stepsBefore: Array.from({ length: 48 }, (_, i) => (i * 29) % 83),
  complete: true,
  coveredFrom: at(0),
  source: "records",
  filter: "",
  reading: "Every record.",
  limits: [],
  gaps: [],
  estimated: null,
});
const made: ReportMade = {
  name: "A long report",
  about: "Tables, bars and lines.",
  period: "the last whole 2 days",
  of: null,
  filter: "",
  window: { from: at(0), to: at(48) },
  before: { from: at(-48), to: at(0) },
  zone: "Europe/Oslo",
  firstRecord: at(-480),
  comparable: true,
  made: at(50),
  by: "bench",
  lacking: { notListening: [], lost: 0, capped: 0, flowGaps: 0, shed: 0, droppedByRules: 0, silent: [] },
  parts: Array.from({ length: tables }, (_, i) => i).flatMap((i) => [
    { is: "measured" as const, as: "course" as const, title: `Over time ${i}`, measured: measured(i) },
    {
      is: "measured" as const,
      as: i % 2 === 0 ? ("bars" as const) : ("table" as const),
      title: `Table ${i}`,
      measured: measured(i),
    },
  ]),
  tookMs: 1,
};
for (let run = 1; run <= 3; run++) {
  const started = performance.now();
  const bytes = await pdfOf(made);
  const pages =
    Buffer.from(bytes)
      .toString("latin1")
      .match(/\/Type \/Page\b/g)?.length ?? 0;
  console.log(
    `run ${run}: ${pages} pages, ${Math.round(bytes.length / 1e3)} kB in ${Math.round(performance.now() - started)} ms; memory ${Math.round(process.memoryUsage.rss() / 1e6)} MB`,
  );
}
