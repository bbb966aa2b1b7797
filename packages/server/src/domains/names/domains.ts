import { formatUs, US_PER_DAY } from "@halvik/core/base/time";
import { suggestDomains } from "@halvik/core/model/entity";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Queryable } from "../../kernel/db/pool.js";
import { fieldValues } from "../../store/field-values.js";
import type { TermIndex } from "../../store/term-index.js";
import { listDomains } from "./domains-repository.js";

/** Different names that are looked at. */
const MOST_NAMES = 2_000;
const MOST_SUGGESTED = 12;
const BUDGET_MS = 1_000;

/** The domains that are ours, and those that names of the last day suggest. */
export async function domains(db: Queryable, directory: SenderDirectory, terms: TermIndex, nowUs: number) {
  const valuesOf = async (field: "host" | "user"): Promise<string[]> => {
    const scope = {
      filter: { type: "everything" } as const,
      fromUs: nowUs - US_PER_DAY,
      toUs: nowUs,
      directory,
      nowUs,
      budgetMs: BUDGET_MS,
      terms,
    };
    return (await fieldValues(db, scope, { field }, MOST_NAMES)).values.map((v) => v.written ?? v.value);
  };
  const hosts = [...(await valuesOf("host")), ...directory.senders.map((s) => s.name)];
  return {
    domains: (await listDomains(db)).map((d) => ({ domain: d.domain, by: d.author, at: formatUs(d.atUs) })),
    suggested: suggestDomains(hosts, await valuesOf("user"), directory.ours).slice(0, MOST_SUGGESTED),
  };
}
