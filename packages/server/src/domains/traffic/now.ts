import type { TrafficNow } from "@halvik/contract/traffic";
import { formatUs, US_PER_MINUTE } from "@halvik/core/base/time";
import { entityCode } from "@halvik/core/model/entity";
import { ACTIONS, severityName } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Queryable } from "../../kernel/db/pool.js";
import { incidentsNaming } from "../incidents/repository.js";
import { ownFilter } from "../records/own-filter.js";
import type { Ask } from "../records/questions.js";

/** How long "now" is. */
const NOW_US = 5 * US_PER_MINUTE;
const SOURCES = 15;
const DESTINATIONS = 4;
const BUDGET_MS = 1_000;

/** What goes on: who sends most, to whom, what firewalls decide about them, which findings name them. */
export async function trafficNow(
  db: Queryable,
  ask: Ask,
  directory: SenderDirectory,
  nowUs: number,
): Promise<TrafficNow> {
  const window = { fromUs: nowUs - NOW_US, toUs: nowUs };
  const flows = ownFilter("kind is flow");
  const { pairs, reachedUs } = await ask(flows).pairs({ filter: flows, ...window, nowUs, budgetMs: BUDGET_MS });
  const bySource = new Map<string, { bytes: number; to: { address: string; bytes: number }[] }>();
  for (const [src, dst, bytes] of pairs) {
    const known = bySource.get(src) ?? { bytes: 0, to: [] };
    bySource.set(src, known);
    known.bytes += bytes;
    known.to.push({ address: dst, bytes });
  }
  const decided = "not kind is flow and action present and src present";
  const matrix = async (rows: "src", columns: "action" | "policy", top: readonly string[]) => {
    const filter = ownFilter(top.length === 0 ? decided : `${decided} and src is ${top.join(", ")}`, directory);
    const of = {
      rows: { field: rows },
      columns: { field: columns },
      topRows: 100,
      topColumns: 20,
      by: "records" as const,
    };
    return ask(filter).matrix({ filter, ...window, nowUs, budgetMs: BUDGET_MS, of });
  };
  const decisions = await matrix("src", "action", []);
  const talkers = [...bySource].sort((a, b) => b[1].bytes - a[1].bytes).slice(0, SOURCES);
  // whoever is refused much is of interest, even with few bytes
  const refused = decisions.rows
    .map((r, i) => ({ src: r.value, refusals: refusalsIn(decisions, i) }))
    .filter((r) => r.refusals > 0 && !talkers.some(([src]) => src === r.src))
    .sort((a, b) => b.refusals - a.refusals)
    .slice(0, SOURCES - Math.min(talkers.length, SOURCES - 5));
  const sources = [...talkers.map(([src]) => src), ...refused.map((r) => r.src)].filter((src) => src !== "?");
  const policies = sources.length === 0 ? null : await matrix("src", "policy", sources);
  const codes = (src: string) => ["src", "dst", "address"].map((field) => entityCode(field, src));
  const incidents = await incidentsNaming(db, sources.flatMap(codes), window.fromUs, window.toUs, 50);
  return {
    from: formatUs(window.fromUs),
    to: formatUs(window.toUs),
    partial: reachedUs !== null,
    bytes: pairs.reduce((sum, [, , bytes]) => sum + bytes, 0),
    sources: sources.map((src) => {
      const traffic = bySource.get(src);
      const at = decisions.rows.findIndex((r) => r.value === src);
      const of = policies === null ? -1 : policies.rows.findIndex((r) => r.value === src);
      const named = new Set(codes(src));
      return {
        address: src,
        bytes: traffic?.bytes ?? 0,
        destinations: (traffic?.to ?? []).sort((a, b) => b.bytes - a.bytes).slice(0, DESTINATIONS),
        destinationsInAll: traffic?.to.length ?? 0,
        accepted: at < 0 ? 0 : cellOf(decisions, at, "accept"),
        refused: at < 0 ? 0 : refusalsIn(decisions, at),
        policies:
          of < 0
            ? []
            : policies!.columns.filter((_, i) => Number(policies!.cells[of]?.[i] ?? 0) > 0).map((c) => c.value),
        incidents: incidents
          .filter((i) => i.entities.some((e) => named.has(e)))
          .map((i) => ({ id: i.id, title: i.title, severity: severityName(i.severity) })),
      };
    }),
  };
}

type Matrix = Awaited<ReturnType<ReturnType<Ask>["matrix"]>>;
const cellOf = (m: Matrix, row: number, column: (typeof ACTIONS)[number]): number =>
  Number(m.cells[row]?.[m.columns.findIndex((c) => c.value === column)] ?? 0);
const refusalsIn = (m: Matrix, row: number): number =>
  ACTIONS.filter((a) => a !== "accept").reduce((sum, a) => sum + cellOf(m, row, a), 0);
