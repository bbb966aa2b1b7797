import type { ArrivalPreview } from "@halvik/contract/arrival";
import { type ArrivalRule, sayArrivalRule } from "@halvik/core/arrive";
import { formatUs, US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { type Rule, RuleEngine } from "@halvik/core/detect";
import type { HalvikRecord } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { compileFilter, type Filter } from "@halvik/core/query/filter";
import type { Queryable } from "../../kernel/db/pool.js";
import { recordsWithin } from "../../store/rollups.js";
import { storeSize } from "../../store/segments.js";
import type { Presenter } from "../names/presenter.js";
import type { Ask } from "../records/questions.js";
import { loadRules } from "../rules/running/repository.js";

const BUDGET_MS = 3_000;
const EXAMPLES = 5;
/** Records that are held against rules of correlation at once. Rules that none of them matters to are asked for one that does. */
const READ = 200;
const RULES_BUDGET_MS = 4_000;
const RULE_BUDGET_MS = 400;

interface Needs {
  readonly db: Queryable;
  readonly ask: Ask;
  readonly directory: SenderDirectory;
  readonly presenter: Presenter;
  readonly zone: string;
  readonly forwardName: (id: number) => string;
}

/** What a rule would have met among what is stored of the last 24 hours. */
export async function previewRule(
  needs: Needs,
  rule: ArrivalRule,
  filter: Filter,
  nowUs: number,
): Promise<ArrivalPreview> {
  const { db, ask, directory, presenter, forwardName } = needs;
  const window = { fromUs: nowUs - US_PER_DAY, toUs: nowUs };
  const asked = { ...window, filter, nowUs, budgetMs: BUDGET_MS };
  const found = await ask(filter).histogram({ ...asked, widthUs: US_PER_HOUR });
  const [senders, page] = await Promise.all([
    ask(filter).values({ ...asked, of: { field: "sender" }, top: 1, measure: { by: "records" } }),
    ask(filter).page({ ...asked, limit: READ, cursor: null, direction: "older", reader: "rules" }),
  ]);
  const all = await recordsWithin(db, window.fromUs - US_PER_HOUR, window.toUs);
  const store = await storeSize(db);
  const present = await presenter.present(directory);
  return {
    says: sayArrivalRule(rule, forwardName),
    met: found.total,
    of: Math.max(all, found.total),
    exact: found.exact,
    senders: senders.distinct,
    bytesADay: store.records === 0 ? 0 : (found.total * store.bytes) / store.records,
    examples: page.records.slice(0, EXAMPLES).map((r) => {
      const shown = present(r);
      return {
        at: formatUs(r.timeUs),
        sender: directory.name(r.sender),
        says: r.text === "" ? String(shown.sentence) : r.text,
      };
    }),
    ...(rule.does === "drop"
      ? await rulesUsing(needs, filter, page.records, page.next !== null || page.partial, asked)
      : { rules: [], allRules: true }),
  };
}

/**
 * Rules of correlation to which one of the records matters that a filter finds.
 * @param some of these @param more whether there are others
 */
async function rulesUsing(
  { db, ask, directory, zone }: Needs,
  filter: Filter,
  some: readonly HalvikRecord[],
  more: boolean,
  { fromUs, toUs, nowUs }: { readonly fromUs: number; readonly toUs: number; readonly nowUs: number },
): Promise<Pick<ArrivalPreview, "rules" | "allRules">> {
  const rules: { id: string; name: string }[] = [];
  let allRules = true;
  const until = performance.now() + RULES_BUDGET_MS;
  for (const rule of (await loadRules(db)).rules) {
    const matters = rule.enabled ? whatMatters(rule, directory, zone) : null;
    if (matters === null) continue;
    const asksFor: Filter = { type: "and", items: [filter, matters], span: matters.span };
    let isUsed = some.some(compileFilter(matters, { directory, nowUs }));
    if (!isUsed && more) {
      const budgetMs = Math.min(RULE_BUDGET_MS, until - performance.now());
      const one = { filter: asksFor, fromUs, toUs, nowUs, limit: 1, cursor: null, direction: "older" } as const;
      const page = budgetMs <= 0 ? null : await ask(asksFor).page({ ...one, budgetMs });
      isUsed = page !== null && page.records.length > 0;
      if (!isUsed && page?.partial !== false) allRules = false;
    }
    if (isUsed) rules.push({ id: rule.id, name: rule.name });
  }
  return { rules, allRules };
}

/** What a rule looks at; null: nothing, or it cannot run. */
function whatMatters(
  rule: Rule,
  directory: SenderDirectory,
  zone: string,
): Exclude<Filter, { type: "everything" }> | null {
  try {
    const filter = new RuleEngine([rule], directory, { zone }).filterOf(rule.id);
    return filter === null || filter.type === "everything" ? null : filter;
  } catch {
    return null;
  }
}
