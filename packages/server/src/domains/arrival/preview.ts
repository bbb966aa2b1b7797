import type { ArrivalPreview } from "@halvik/contract/arrival";
import { type ArrivalRule, sayArrivalRule } from "@halvik/core/arrive";
import { formatUs, US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { RuleEngine } from "@halvik/core/detect";
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
/** Examples that are held against rules of correlation. */
const READ = 200;

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
  { db, ask, directory, presenter, zone, forwardName }: Needs,
  rule: ArrivalRule,
  filter: Filter,
  nowUs: number,
): Promise<ArrivalPreview> {
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
    rules: rule.does === "drop" ? await rulesUsing(db, directory, zone, page.records, nowUs) : [],
  };
}

/** Rules of correlation to which one of some records matters. */
async function rulesUsing(
  db: Queryable,
  directory: SenderDirectory,
  zone: string,
  records: readonly HalvikRecord[],
  nowUs: number,
): Promise<{ id: string; name: string }[]> {
  return (await loadRules(db)).rules.flatMap((rule) => {
    if (!rule.enabled) return [];
    try {
      const filter = new RuleEngine([rule], directory, { zone }).filterOf(rule.id);
      if (filter === null) return [];
      const matters = compileFilter(filter, { directory, nowUs });
      return records.some(matters) ? [{ id: rule.id, name: rule.name }] : [];
    } catch {
      // a rule that cannot run uses nothing
      return [];
    }
  });
}
