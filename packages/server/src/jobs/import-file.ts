import { readRfc3339 } from "@halvik/core/time";
import pg from "pg";
import type { Arrival } from "../collector/arrival.js";
import { decodeBatch, findUnknown } from "../collector/decode-batch.js";
import { SenderRegistry } from "../collector/sender-registry.js";
import { writeActivity } from "../collector/write-activity.js";
import { nowUs } from "../config/clock.js";
import { BatchWriter } from "../store/batches.js";
import { type Claim, claimCollector } from "../store/collectors.js";
import { IdSource } from "../store/record-id.js";
import { Job } from "./job.js";
import { readInput } from "./read-input.js";

export interface ImportOptions {
  readonly name: string;
  /** Address the lines of a text file came from; captures carry their own. */
  readonly peer: string | null;
  /** Arrival of lines of text. */
  readonly receivedUs: number;
  readonly runRules: boolean;
  /** Records expected, for progress; null when unknown. */
  readonly total: number | null;
  readonly zone: string;
  readonly onProgress?: (read: number) => void;
}

/** What became of a file: read = stored + every reason. */
export interface ImportReceipt {
  readonly read: number;
  readonly stored: number;
  readonly refused: Readonly<Record<string, number>>;
}

const BATCH_RECORDS = 5_000;
const PROGRESS_MS = 500;
const MAX_PARALLEL_IMPORTS = 16;

/** Reads a capture or text through the same decode path as live records, into segments of its own. */
export async function importFile(
  connection: pg.ClientConfig,
  chunks: AsyncIterable<Uint8Array>,
  options: ImportOptions,
): Promise<ImportReceipt> {
  const client = new pg.Client(connection);
  await client.connect();
  // losing the connection shows as a failed query below
  client.on("error", () => undefined);
  try {
    const claim = await claimImport(client);
    const job = await Job.start(client, options.name, options.total, "records");
    try {
      const receipt = await run(client, claim, chunks, options, job);
      await job.end("done", receipt.read, sayReceipt(receipt));
      return receipt;
    } catch (e) {
      await job.end("failed", 0, e instanceof Error ? e.message : String(e)).catch(() => undefined);
      throw e;
    }
  } finally {
    await client.end();
  }
}

export const sayReceipt = (r: ImportReceipt): string => {
  const refused = Object.entries(r.refused).map(([reason, n]) => `${n} refused: ${reason}`);
  return [`${r.read} read`, `${r.stored} stored`, ...refused].join(", ");
};

/** A number no other import holds. */
async function claimImport(client: pg.Client): Promise<Claim> {
  for (let i = 1; i <= MAX_PARALLEL_IMPORTS; i++) {
    try {
      return await claimCollector(client, `import-${i}`, "import");
    } catch (e) {
      if (!(e instanceof Error && e.message.includes("already runs")) || i === MAX_PARALLEL_IMPORTS) throw e;
    }
  }
  throw new Error("unreachable");
}

async function run(
  client: pg.Client,
  claim: Claim,
  chunks: AsyncIterable<Uint8Array>,
  options: ImportOptions,
  job: Job,
): Promise<ImportReceipt> {
  const writer = new BatchWriter(client, claim.number, true);
  const ids = new IdSource(claim.number, claim.lastIdUs);
  const registry = new SenderRegistry(options.zone);
  await registry.refresh(client);
  const refused: Record<string, number> = {};
  const refuse = (reason: string, n = 1) => {
    if (n > 0) refused[reason] = (refused[reason] ?? 0) + n;
  };
  let number = claim.lastBatch;
  let read = 0;
  let stored = 0;
  let throughUs = 0;
  let progressMs = 0;
  let arrivals: Arrival[] = [];
  const flush = async () => {
    if (arrivals.length === 0) return;
    const unknown = findUnknown(arrivals, registry);
    if (unknown.unknownPeers.size > 0) await registry.notice(client, unknown.unknownPeers);
    if (unknown.unknownHosts.size > 0) await registry.noticeBehind(client, unknown.unknownHosts);
    const now = nowUs();
    const decoded = decodeBatch(arrivals, registry, { ids, nowUs: now, imported: true });
    refuse("sender refused", decoded.refused);
    refuse("too many unknown senders", decoded.unlisted);
    for (const a of arrivals) throughUs = Math.max(throughUs, a.receivedUs);
    await writer.commit({ number: ++number, records: decoded.records, throughUs, runRules: options.runRules }, now);
    stored += decoded.records.length;
    arrivals = [];
    if (performance.now() - progressMs > PROGRESS_MS) {
      progressMs = performance.now();
      await job.progress(read);
      options.onProgress?.(read);
    }
  };
  for await (const message of readInput(chunks)) {
    read++;
    if (message.type === "problem") refuse(message.problem.code);
    else if (message.type === "too long") {
      read--;
      refuse("line cut at 1 MiB", 0);
    } else if (message.type === "line") {
      if (options.peer === null)
        throw new Error("lines of text do not say who sent them: name the sender's address with --peer");
      arrivals.push({
        endpoint: "import",
        peer: options.peer,
        receivedUs: options.receivedUs,
        bytes: message.bytes,
        held: false,
      });
    } else
      arrivals.push({
        endpoint: "import",
        peer: message.src,
        receivedUs: message.timeUs ?? options.receivedUs,
        bytes: message.bytes,
        held: false,
      });
    if (arrivals.length >= BATCH_RECORDS) await flush();
  }
  await flush();
  await writer.seal();
  await writeActivity(client, registry, true);
  // followers learn from a last, empty batch that nothing more comes
  await client.query("update collector set finished = true where number = $1", [claim.number]);
  await writer.commit({ number: ++number, records: [], throughUs, runRules: options.runRules }, nowUs());
  return { read, stored, refused };
}

/** An RFC 3339 time from the command line, or an error in words. */
export function readTimeOption(text: string): number {
  const time = readRfc3339(text);
  if (time === null || time.end !== text.length)
    throw new Error(`expected a time such as 2026-11-24T10:00:00Z, got "${text}"`);
  return time.us;
}
