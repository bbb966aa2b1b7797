import type { Connection } from "../../kernel/db/pool.js";
import { WorkPool } from "../../kernel/threads/work-pool.js";
import type { QuestionWorkerData } from "./question-worker.js";

/** The threads of the web role: a costly question, or one that does not end, takes one of these and nothing else. */
export function webThreads(
  connection: Connection,
  zone: string,
  statementMs: number,
): { readonly work: WorkPool; readonly scans: WorkPool; readonly rehearsals: WorkPool } {
  const data: QuestionWorkerData = { connection, zone, statementMs };
  const pool = (threads: number, queue: number) =>
    new WorkPool({ bundle: "question-worker", threads, heapMb: 1_024, queue, data });
  // whoever waits for flows to be gone through holds up nobody who searches
  return { work: pool(2, 100), scans: pool(2, 20), rehearsals: pool(2, 8) };
}
