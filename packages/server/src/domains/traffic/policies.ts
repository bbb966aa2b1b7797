import type { PoliciesAnswer } from "@halvik/contract/traffic";
import { formatUs, US_PER_DAY } from "@halvik/core/base/time";
import { ACTIONS } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { ownFilter } from "../records/own-filter.js";
import type { Ask } from "../records/questions.js";

/** What was met so long before the window and not in it is told. */
const BEFORE_US = 30 * US_PER_DAY;
const POLICIES = 500;
/** Policies that are no longer met: of so many it is looked up when they were last. */
const UNMET = 40;
const BUDGET_MS = 1_500;
const LOOK_UP_MS = 400;

const DECIDED = "not kind is flow and action present and policy present";

/** Policies by their use in a window: how often each accepted and refused, which are new in it, and which are not met any more. */
export async function policiesOf(
  ask: Ask,
  { fromUs, toUs }: { readonly fromUs: number; readonly toUs: number },
  directory: SenderDirectory,
  nowUs: number,
): Promise<PoliciesAnswer> {
  const decided = ownFilter(DECIDED, directory);
  const asking = { filter: decided, nowUs, budgetMs: BUDGET_MS };
  const [met, before] = await Promise.all([
    ask(decided).matrix({
      ...asking,
      fromUs,
      toUs,
      of: {
        rows: { field: "policy" },
        columns: { field: "action" },
        topRows: POLICIES,
        topColumns: ACTIONS.length,
        by: "records",
      },
    }),
    ask(decided).values({
      ...asking,
      fromUs: fromUs - BEFORE_US,
      toUs: fromUs,
      of: { field: "policy" },
      top: 4 * POLICIES,
      measure: { by: "records" },
    }),
  ]);
  const known = new Set(before.values.map((v) => v.value));
  const here = new Set(met.rows.map((r) => r.value));
  const filterOf = (policy: string): string => `${DECIDED} and policy is ${quoteIfNeeded(policy)}`;
  const cell = (row: number, action: (typeof ACTIONS)[number]): number =>
    Number(met.cells[row]?.[met.columns.findIndex((c) => c.value === action)] ?? 0);
  const unmet = await Promise.all(
    before.values
      .filter((v) => !here.has(v.value))
      .slice(0, UNMET)
      .map(async ({ value, written, count }) => {
        const filter = ownFilter(filterOf(value), directory);
        const page = await ask(filter).page({
          filter,
          fromUs: fromUs - BEFORE_US,
          toUs: fromUs,
          nowUs,
          budgetMs: LOOK_UP_MS,
          limit: 1,
          cursor: null,
          direction: "older",
        });
        const last = page.records[0];
        return {
          policy: written ?? value,
          before: count,
          last: last === undefined ? null : formatUs(last.timeUs),
          filter: filterOf(value),
        };
      }),
  );
  return {
    from: formatUs(fromUs),
    to: formatUs(toUs),
    since: formatUs(fromUs - BEFORE_US),
    met: met.rows.map((r, i) => ({
      policy: r.value,
      accept: cell(i, "accept"),
      deny: cell(i, "deny"),
      reject: cell(i, "reject"),
      // where nothing is known of before, nothing is new against it
      isNew: before.exact && before.records > 0 && !known.has(r.value),
      filter: filterOf(r.value),
    })),
    unmet,
    partial: !met.exact || !before.exact,
  };
}
