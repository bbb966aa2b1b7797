import type { TrafficLists } from "@halvik/contract/traffic";
import { US_PER_HOUR } from "@halvik/core/base/time";
import type { Queryable } from "../../kernel/db/pool.js";
import { onSteps, piecesOf, readByMeter, WHOLE_WINDOW } from "../../store/traffic/read-sums.js";
import { FIVE, type Question } from "./question.js";
import type { Placed } from "./scope.js";

type Where = TrafficLists["where"];

/** A place whose traffic is listed, as people call it. */
export interface Place extends Placed {
  readonly label: string;
  readonly site: string | null;
}

/** How much each place tells of in a window, the most first. Sites tell what their exporters do. */
export async function whereOf(db: Queryable, q: Question, places: readonly Place[]): Promise<Where> {
  const isFine = q.fromUs >= q.kept.fiveSinceUs;
  const window = onSteps(q.fromUs, q.toUs, isFine ? FIVE : US_PER_HOUR);
  const sums = await readByMeter(
    db,
    places.flatMap((p) => p.meters),
    piecesOf(window.fromUs, window.toUs, WHOLE_WINDOW, q.kept),
  );
  const rows = places.map(({ label, exporter, interface: index, site, meters }) => {
    const amounts = [0, 1].map((side) => {
      const total = { bytes: 0, packets: 0, flows: 0 };
      for (const m of meters.filter((of) => of.side === side)) {
        const sum = sums.get(`${m.sender} ${m.interface} ${m.way}`);
        if (sum === undefined) continue;
        total.bytes += sum.bytes;
        total.packets += sum.packets;
        total.flows += sum.flows;
      }
      return total;
    });
    return { label, exporter, interface: index, site, in: amounts[0]!, out: index === null ? null : amounts[1]! };
  });
  const size = (row: (typeof rows)[number]): number => row.in[q.measure] + (row.out?.[q.measure] ?? 0);
  return rows.filter((r) => size(r) > 0).sort((a, b) => size(b) - size(a) || (a.label < b.label ? -1 : 1));
}
