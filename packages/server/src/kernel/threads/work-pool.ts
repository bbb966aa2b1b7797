import { existsSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { MessageChannel } from "node:worker_threads";
import { Piscina } from "piscina";
import { WorkQueueFull, WorkTooLong } from "./work-errors.js";

/** What work that tells how far it has come says last. */
export const LAST_WORD = null;

export interface WorkPoolOptions {
  /** Name of the bundle that does the work: `dist/NAME.js`. */
  readonly bundle: "question-worker" | "body-worker";
  readonly threads: number;
  /** Memory of a thread's objects; beyond it the thread ends, and nothing else. */
  readonly heapMb: number;
  readonly queue: number;
  readonly data?: unknown;
}

/** Threads for what may take long or more memory than there is: the process that asks goes on, and what does not end is ended. */
export class WorkPool {
  private readonly threads: Piscina;

  constructor({ bundle, threads, heapMb, queue, data }: WorkPoolOptions) {
    this.threads = new Piscina({
      filename: bundleFile(bundle),
      minThreads: 0,
      maxThreads: threads,
      idleTimeout: 60_000,
      maxQueue: queue,
      resourceLimits: { maxOldGenerationSizeMb: heapMb },
      workerData: data,
    });
  }

  /**
   * @throws {WorkTooLong} after `ms` of work, waiting for a thread included
   * @throws {WorkQueueFull}
   */
  async run<T>(what: string, input: unknown, ms: number): Promise<T> {
    try {
      return (await this.threads.run(input, { name: what, signal: AbortSignal.timeout(ms) })) as T;
    } catch (e) {
      if ((e as Error).name === "AbortError" || (e as Error).name === "TimeoutError") throw new WorkTooLong(what, ms);
      if (/queue is at limit/i.test((e as Error).message)) throw new WorkQueueFull((e as Error).message);
      throw e;
    }
  }

  /**
   * Work that tells how far it has come by the port it is given, `LAST_WORD` at its end. Ends when it is done, when whoever asks stops asking, or when it says nothing for `silentMs`.
   * @throws {WorkTooLong}
   * @throws {WorkQueueFull}
   */
  async *follow<T>(what: string, input: object, silentMs: number): AsyncGenerator<T> {
    const { port1: ours, port2: theirs } = new MessageChannel();
    const ended = new AbortController();
    const said: T[] = [];
    let wake = () => {};
    // that the work is done is known by another way than what it says: only with its last word all of it is here
    let hasReportedAll = false;
    ours.on("message", (message: T | typeof LAST_WORD) => {
      if (message === LAST_WORD) hasReportedAll = true;
      else said.push(message);
      wake();
    });
    let outcome: { readonly error: Error | null } | null = null;
    this.threads
      .run({ ...input, port: theirs }, { name: what, signal: ended.signal, transferList: [theirs] })
      .then(
        () => ({ error: null }),
        (error: Error) => ({ error }),
      )
      .then((o) => {
        outcome = o;
        wake();
      });
    try {
      for (;;) {
        while (said.length > 0) yield said.shift()!;
        if (outcome !== null && (hasReportedAll || (outcome as { error: Error | null }).error !== null)) break;
        const heard = await new Promise<boolean>((resolve) => {
          const timer = setTimeout(() => resolve(false), silentMs);
          wake = () => {
            clearTimeout(timer);
            resolve(true);
          };
        });
        if (!heard) throw new WorkTooLong(what, silentMs);
      }
      const { error } = outcome as { readonly error: Error | null };
      if (error !== null) throw /queue is at limit/i.test(error.message) ? new WorkQueueFull(error.message) : error;
    } finally {
      if (outcome === null) ended.abort();
      ours.close();
    }
  }

  async close(): Promise<void> {
    await this.threads.destroy();
  }
}

/** Beside the program when built; in its dist/ when the source runs. */
function bundleFile(bundle: string): string {
  const beside = fileURLToPath(new URL(`./${bundle}.js`, import.meta.url));
  return existsSync(beside) ? beside : fileURLToPath(new URL(`../../../dist/${bundle}.js`, import.meta.url));
}
