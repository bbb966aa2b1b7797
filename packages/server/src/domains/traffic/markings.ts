import type { MarkingsAnswer } from "@halvik/contract/traffic";
import { formatUs } from "@halvik/core/base/time";
import { sayValue } from "@halvik/core/traffic";
import { ownFilter } from "../records/own-filter.js";
import type { Ask } from "../records/questions.js";
import type { Question } from "./question.js";

const SHOWN = 60;

/** Where a marking is not carried on from one exporter to the next. @param interfaceName what an interface of an exporter is called */
export async function markingsOf(
  ask: Ask,
  q: Pick<Question, "fromUs" | "toUs" | "nameOf" | "applications">,
  interfaceName: (sender: number, index: number) => string,
  nowUs: number,
  budgetMs: number,
): Promise<MarkingsAnswer> {
  const filter = ownFilter("kind is flow and dscp present");
  const { fromUs, toUs } = q;
  const { changes, flows, reachedUs } = await ask(filter).markings({ filter, fromUs, toUs, nowUs, budgetMs });
  const marking = (dscp: number): string => sayValue("dscp", String(dscp), q.applications).label;
  return {
    from: formatUs(fromUs),
    to: formatUs(toUs),
    reached: reachedUs === null ? null : formatUs(reachedUs),
    flows,
    rows: changes.slice(0, SHOWN).map((c) => ({
      before: marking(c.before),
      after: marking(c.after),
      at: q.nameOf(c.at),
      egress: interfaceName(c.at, c.egress),
      next: q.nameOf(c.next),
      ingress: interfaceName(c.next, c.ingress),
      conversations: c.conversations,
      bytes: c.bytes,
      filter: `kind is flow and src is ${c.example.src} and dst is ${c.example.dst}`,
      lost: c.after === 0,
    })),
  };
}
