import { formatUs } from "@halvik/core/base/time";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { parseFilter } from "@halvik/core/query/filter";
import type { Queryable } from "../../kernel/db/pool.js";
import { searchRecords } from "../../store/search.js";
import { keptOf } from "../../store/segments.js";
import type { TermIndex } from "../../store/term-index.js";
import { droppedWithin } from "./arriving/use-repository.js";
import { type Gap, gapsWithin } from "./listening-repository.js";

/** What a window may lack, as far as Halvik knows: what it lost, refused, waits for, or keeps no more. */
export interface Coverage {
  /** When nobody listened: Halvik was off, or its collector away. */
  readonly notListening: readonly Gap[];
  readonly lost: number;
  readonly capped: number;
  /** Datagrams that exporters numbered and that never came. */
  readonly flowGaps: number;
  /** Senders that went silent within the window. */
  readonly silent: readonly string[];
  /** Records dropped before their time, for want of disk. */
  readonly shed: number;
  /** Dropped on arrival by rules, in the hours that the window touches. */
  readonly droppedByRules: number;
  /** Records in segments that are no longer kept; null when none of the window. */
  readonly keptFromUs: number | null;
}

const MOST_TOLD = 1_000;
const EVENTS = ["records-lost", "senders-capped", "flow-gaps", "segment-shed", "sender-silent"] as const;

export async function coverageOf(
  db: Queryable,
  window: { readonly fromUs: number; readonly toUs: number },
  context: { readonly directory: SenderDirectory; readonly nowUs: number; readonly terms: TermIndex },
): Promise<Coverage> {
  const parsed = parseFilter(`kind is halvik and event in ${EVENTS.map((e) => `"${e}"`).join(", ")}`, { zone: "UTC" });
  if (!parsed.ok) throw new Error(parsed.error.message);
  const { records } = await searchRecords(db, {
    filter: parsed.filter,
    ...window,
    ...context,
    limit: MOST_TOLD,
    cursor: null,
    direction: "older",
    budgetMs: 1_000,
  });
  const sum = (event: (typeof EVENTS)[number], name: string) =>
    records
      .filter((r) => r.event === event)
      .reduce((total, r) => total + Number(r.data.find(([n]) => n === name)?.[1] ?? 0), 0);
  const { keptUs, dropped } = await keptOf(db, window);
  return {
    notListening: await gapsWithin(db, window, context.nowUs),
    lost: sum("records-lost", "count"),
    capped: sum("senders-capped", "count"),
    flowGaps: sum("flow-gaps", "count"),
    shed: sum("segment-shed", "records"),
    droppedByRules: await droppedWithin(db, window),
    silent: [...new Set(records.filter((r) => r.event === "sender-silent").map((r) => r.host ?? ""))],
    keptFromUs: dropped ? keptUs : null,
  };
}

/** The same, as an answer says it. */
export const coverageJson = ({ keptFromUs, notListening, silent, ...coverage }: Coverage) => ({
  ...coverage,
  silent: [...silent],
  notListening: notListening.map((g) => ({ from: formatUs(g.fromUs), to: formatUs(g.toUs) })),
  ...(keptFromUs === null ? {} : { keptFrom: formatUs(keptFromUs) }),
});
