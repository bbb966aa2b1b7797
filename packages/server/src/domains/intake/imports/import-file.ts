import { createHash } from "node:crypto";
import { formatUs } from "@halvik/core/base/time";
import { MeteredCapture } from "@halvik/core/decode/meter";
import { UsmUsers } from "@halvik/core/decode/snmp";
import type { ReadyFormat } from "@halvik/core/formats";
import { nowUs } from "../../../kernel/clock.js";
import { type Client, type Connection, connect, type Queryable } from "../../../kernel/db/pool.js";
import { nodeSnmpCrypto } from "../../../kernel/snmp-crypto.js";
import { BatchWriter } from "../../../store/batches.js";
import { type Claim, CollectorBusy, claimCollector } from "../../../store/collectors.js";
import { keepDaysBy } from "../../../store/keep-days.js";
import { IdSource } from "../../../store/record-id.js";
import { KeptShapes } from "../../../store/shapes.js";
import { loadMibNames, namedBy } from "../../names/mibs.js";
import { loadMeanings } from "../../names/repository.js";
import type { Arrival, Protocol } from "../arrivals/arrival.js";
import { loadSnmpUsers } from "../endpoints/repository.js";
import { countArrivals, decodeBatch, findUnknown } from "../pipeline/decode-batch.js";
import { Decoders } from "../pipeline/decoders.js";
import { addUnnamed, keepMeasures, saveFlowDomains } from "../pipeline/state-repository.js";
import { SenderRegistry } from "../senders/registry.js";
import { writeActivity } from "../senders/write-activity.js";
import { Job } from "./job.js";
import { readInput } from "./read-input.js";
import { importedAt, keepImportedFile } from "./repository.js";

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
  /** Days that records of single kinds are kept. */
  readonly keepByKind: ReadonlyMap<string, number>;
  /** Of a capture flows are made of its packets, and records of what they say, as told by `peer`. */
  readonly meter?: boolean;
  /** Of requests in a capture their queries are kept too. */
  readonly keepsQueries?: boolean;
  readonly onProgress?: (read: number) => void;
  /** What the file is, where it could be read twice: the same one is not stored again. */
  readonly identity: FileIdentity | null;
  /** Formats that people made, ready to be tried on its lines. */
  readonly formats?: (db: Queryable) => Promise<readonly ReadyFormat[]>;
  /** A job that was asked for elsewhere; null: one of its own. */
  readonly jobId: number | null;
}

export interface FileIdentity {
  readonly sha256: string;
  readonly bytes: number;
}

/** An import that was called off; what is stored by then stays. */
export class ImportCancelled extends Error {}

/** What became of a file. */
export interface ImportReceipt {
  /** read = stored + every reason. */
  readonly read: number;
  readonly stored: number;
  /** What they became: a flow datagram holds many. */
  readonly records: number;
  readonly refused: Readonly<Record<string, number>>;
  /** When this very file was imported before: then nothing was read. */
  readonly againUs: number | null;
}

/** A receipt with the number by which the import can be removed. */
export type NumberedReceipt = ImportReceipt & { readonly job: number };

const BATCH_RECORDS = 5_000;
const PROGRESS_MS = 500;
const MAX_PARALLEL_IMPORTS = 16;

/** Reads a capture or text through the same decode path as live records, into segments of its own. */
export async function importFile(
  connection: Connection,
  chunks: AsyncIterable<Uint8Array>,
  options: ImportOptions,
): Promise<NumberedReceipt> {
  const client = await connect(connection);
  try {
    const claim = await claimImport(client);
    const job =
      options.jobId === null
        ? await Job.start(client, options.name, options.total, "records")
        : await Job.resume(client, options.jobId);
    try {
      const receipt =
        (await importedBefore(client, options.identity)) ?? (await run(client, claim, chunks, options, job));
      await job.end("done", receipt.read, sayReceipt(receipt));
      return { ...receipt, job: job.id };
    } catch (e) {
      await job
        .end(e instanceof ImportCancelled ? "cancelled" : "failed", 0, e instanceof Error ? e.message : String(e))
        .catch(() => undefined);
      throw e;
    }
  } finally {
    await client.end();
  }
}

export const sayReceipt = (r: ImportReceipt): string => {
  if (r.againUs !== null) return `this file was imported before, at ${formatUs(r.againUs)}; nothing was added`;
  const refused = Object.entries(r.refused).map(([reason, n]) => `${n} refused: ${reason}`);
  const as = r.records === r.stored ? "" : ` as ${r.records} records`;
  return [`${r.read} read`, `${r.stored} stored${as}`, ...refused].join(", ");
};

/** A number no other import holds. */
async function claimImport(client: Client): Promise<Claim> {
  for (let i = 1; i <= MAX_PARALLEL_IMPORTS; i++) {
    try {
      return await claimCollector(client, `import-${i}`, "import");
    } catch (e) {
      if (!(e instanceof CollectorBusy) || i === MAX_PARALLEL_IMPORTS) throw e;
    }
  }
  throw new Error("unreachable");
}

async function run(
  client: Client,
  claim: Claim,
  chunks: AsyncIterable<Uint8Array>,
  options: ImportOptions,
  job: Job,
): Promise<ImportReceipt> {
  const ids = new IdSource(claim.number, claim.lastIdUs);
  const registry = new SenderRegistry(options.zone);
  const writer = new BatchWriter(
    client,
    claim.number,
    job.id,
    keepDaysBy((id) => registry.get(id)?.facts.keepDays, options.keepByKind),
  );
  await registry.refresh(client);
  const shapes = await KeptShapes.load(client, nowUs());
  const decoders = new Decoders();
  const users = new UsmUsers(await loadSnmpUsers(client), nodeSnmpCrypto);
  decoders.settings = {
    users,
    meanings: await loadMeanings(client),
    mappings: new Map(),
    maxBehindUs: Number.POSITIVE_INFINITY,
    isNamed: namedBy(await loadMibNames(client)),
    formats: (await options.formats?.(client)) ?? [],
  };
  const refused: Record<string, number> = {};
  const refuse = (reason: string, n = 1) => {
    if (n > 0) refused[reason] = (refused[reason] ?? 0) + n;
  };
  let number = claim.lastBatch;
  let read = 0;
  let stored = 0;
  let records = 0;
  let throughUs = 0;
  let progressMs = 0;
  let arrivals: Arrival[] = [];
  const flush = async () => {
    if (arrivals.length === 0) return;
    decoders.begin();
    const unknown = findUnknown(arrivals, registry, decoders);
    if (unknown.unknownPeers.size > 0) await registry.notice(client, unknown.unknownPeers);
    if (unknown.unknownHosts.size > 0) await registry.noticeBehind(client, unknown.unknownHosts);
    const now = nowUs();
    const decoded = decodeBatch(arrivals, registry, { decoders, ids, nowUs: now, imported: true, shapes });
    await shapes.save(client, now);
    const problems = new Map(decoders.undecodable.map((u) => [u.arrival, u.problem]));
    for (const a of decoded.emptyArrivals) refuse(problems.get(a)?.code ?? "templates or counters, no record");
    refuse("sender refused", decoded.refused);
    refuse("too many unknown senders", decoded.unlisted);
    for (const a of arrivals) throughUs = Math.max(throughUs, a.receivedUs);
    await writer.commit(
      { number: ++number, records: decoded.records, throughUs, runRules: options.runRules },
      now,
      (db) => keepMeasures(db, decoders.measures),
    );
    countArrivals(arrivals, decoded, registry, decoders);
    stored += arrivals.length - decoded.emptyArrivals.length - decoded.refused - decoded.unlisted;
    records += decoded.records.length;
    arrivals = [];
    if (performance.now() - progressMs > PROGRESS_MS) {
      progressMs = performance.now();
      if (await job.progress(read)) throw new ImportCancelled(`cancelled after ${read} read; ${stored} are stored`);
      options.onProgress?.(read);
    }
  };
  const take = (protocol: Protocol, peer: string, receivedUs: number | null, bytes: Uint8Array, cut = false) =>
    arrivals.push({
      protocol,
      endpoint: "import",
      peer,
      receivedUs: receivedUs ?? options.receivedUs,
      bytes,
      held: false,
      unobserved: receivedUs === null,
      ...(cut ? { cut } : {}),
    });
  // each capture is a stream of its own, told from others of the same exporter
  const meter =
    options.meter && options.peer !== null
      ? new MeteredCapture(options.peer, job.id, { keepsQueries: options.keepsQueries === true })
      : null;
  for await (const messages of readInput(chunks, null, meter)) {
    for (const message of messages) {
      read++;
      if (message.type === "problem" || message.type === "bad item") refuse(message.problem.code);
      else if (message.type === "item") {
        if (options.peer === null)
          throw new Error("this file does not say who sent its records: name the sender's address with --peer");
        take(message.protocol, options.peer, null, message.bytes);
      } else take(message.protocol, message.src, message.timeUs, message.bytes, message.cut);
      if (arrivals.length >= BATCH_RECORDS) await flush();
    }
  }
  await flush();
  await addUnnamed(client, decoders.takeUnnamed(), nowUs());
  await saveFlowDomains(client, decoders.flows, nowUs());
  await writer.close();
  await writeActivity(client, registry, true, nowUs());
  const receipt = { read, stored, records, refused, againUs: null };
  if (options.identity)
    await keepImportedFile(client, { ...options.identity, name: options.name }, receipt, job.id, nowUs());
  return receipt;
}

async function importedBefore(client: Client, identity: FileIdentity | null): Promise<ImportReceipt | null> {
  const againUs = identity === null ? null : await importedAt(client, identity.sha256);
  return againUs === null ? null : { read: 0, stored: 0, records: 0, refused: {}, againUs };
}

/**
 * SHA-256 of a file, read once before it is imported.
 * @param readAs how it is read, where that is not the usual way: its packets and its messages are two things
 */
export async function identify(chunks: AsyncIterable<Uint8Array>, readAs = ""): Promise<FileIdentity> {
  const hash = createHash("sha256").update(readAs);
  let bytes = 0;
  for await (const chunk of chunks) {
    hash.update(chunk);
    bytes += chunk.length;
  }
  return { sha256: hash.digest("hex"), bytes };
}
