import type { HalvikRecord } from "@halvik/core/model/record";
import type { Filter } from "@halvik/core/query/filter";
import type { Ask, PageAsked } from "./questions.js";

/** A page of the store holds no more. */
const PAGE = 500;

/** The newest records of a window that match, page by page. @returns the newest first, and whether these are all of them */
export async function newestRecords(
  ask: Ask,
  filter: Filter,
  window: { readonly fromUs: number; readonly toUs: number },
  nowUs: number,
  { most, budgetMs }: { readonly most: number; readonly budgetMs: number },
): Promise<{ readonly records: readonly HalvikRecord[]; readonly isWhole: boolean }> {
  const records: HalvikRecord[] = [];
  const until = performance.now() + budgetMs;
  for (let cursor: PageAsked["cursor"] = null; ; ) {
    const leftMs = until - performance.now();
    if (leftMs <= 0 || records.length >= most) return { records, isWhole: false };
    const asked = { ...window, filter, nowUs, limit: PAGE, cursor, direction: "older" as const, budgetMs: leftMs };
    const page = await ask(filter).page(asked);
    records.push(...page.records);
    if (page.next === null) return { records, isWhole: !page.partial };
    cursor = page.next;
  }
}
