import { type MessagePort, threadId, workerData } from "node:worker_threads";
import { DirectoryCache } from "../../domains/intake/senders/directory-cache.js";
import { checkModule } from "../../domains/names/check-module.js";
import { handOverPdf } from "../../domains/papers/hand-over/pdf.js";
import {
  type AnswersAsked,
  type CountsAsked,
  type FollowAsked,
  type HistogramAsked,
  type HostFlowsAsked,
  type LiveAsked,
  type MatrixAsked,
  type MeasureQuestion,
  type PageAsked,
  questions,
  type RehearsalAsked,
  type ScopeAsked,
  type ShapesAsked,
  type TrafficAsked,
  type ValuesAsked,
} from "../../domains/records/questions.js";
import { type FileAsked, fileOf } from "../../domains/reports/output/file-of.js";
import { checkRule } from "../../domains/rules/check-rule.js";
import { rehearse } from "../../domains/rules/rehearse.js";
import type { Connection } from "../../kernel/db/pool.js";
import { createPool } from "../../kernel/db/pool.js";
import { LAST_WORD } from "../../kernel/threads/work-pool.js";
import { TermIndex } from "../../store/term-index.js";

/** What a thread that answers questions is begun with. */
export interface QuestionWorkerData {
  readonly connection: Connection;
  readonly zone: string;
  readonly statementMs: number;
}

const { connection, zone, statementMs } = workerData as QuestionWorkerData;
const db = createPool({ ...connection, application_name: `halvik question ${threadId}` }, 2, statementMs);
const directory = new DirectoryCache(db, zone);
const terms = new TermIndex();
const ask = questions(db, directory, terms);

export const page = (asked: PageAsked) => ask.page(asked);
export const follow = (asked: FollowAsked) => ask.follow(asked);
export const histogram = (asked: HistogramAsked) => ask.histogram(asked);
export const values = (asked: ValuesAsked) => ask.values(asked);
export const matrix = (asked: MatrixAsked) => ask.matrix(asked);
export const measure = (asked: MeasureQuestion) => ask.measure(asked);
export const counts = (asked: CountsAsked) => ask.counts(asked);
export const shapes = (asked: ShapesAsked) => ask.shapes(asked);
export const whyNothing = (asked: ScopeAsked) => ask.whyNothing(asked);
export const traffic = (asked: TrafficAsked) => ask.traffic(asked);
export const host = (asked: HostFlowsAsked) => ask.host(asked);
export const markings = (asked: ScopeAsked) => ask.markings(asked);
export const pairs = (asked: ScopeAsked) => ask.pairs(asked);
export const answers = (asked: AnswersAsked) => ask.answers(asked);
export const live = (asked: LiveAsked) => ask.live(asked);
export const rule = checkRule;
export const reportFile = ({ made, format, part }: FileAsked) => fileOf(made, format, part);
export const papersPdf = handOverPdf;
export const mib = checkModule;

/** @param port told of every step */
export async function rehearsal({ port, rules, window }: RehearsalAsked & { port: MessagePort }): Promise<void> {
  const scope = { ...window, directory: await directory.get(), zone, terms };
  for await (const step of rehearse(db, rules, scope)) port.postMessage(step);
  port.postMessage(LAST_WORD);
  port.close();
}
