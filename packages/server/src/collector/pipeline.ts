import type { DecodeProblem } from "@halvik/core/bytes";
import { type OwnObservation, ownRecord } from "@halvik/core/normalise";
import { OWN_SENDER } from "@halvik/core/senders";
import { formatDuration } from "@halvik/core/time";
import pg from "pg";
import type { Logger } from "pino";
import { nowUs } from "../config/clock.js";
import { BatchWriter } from "../store/batches.js";
import { claimCollector } from "../store/collectors.js";
import {
  countHeld,
  expireHeld,
  forgetHeld,
  HELD_IN_ALL,
  HELD_PER_SENDER,
  holdRecords,
  takeAdmitted,
} from "../store/held.js";
import { keepDaysBy } from "../store/keep-days.js";
import { addUnnamed, keepMeasures, keepUndecodable, saveFlowDomains } from "../store/kinds.js";
import { IdSource } from "../store/record-id.js";
import { type Arrival, arrivalBytes, type Fate } from "./arrival.js";
import { type DecodedBatch, decodeBatch, findUnknown } from "./decode-batch.js";
import type { Decoders, Undecodable } from "./decoders.js";
import type { EndpointSink } from "./endpoint.js";
import { RateCap } from "./rate-cap.js";
import type { SenderRegistry } from "./sender-registry.js";
import type { Spool, SpooledBatch } from "./spool.js";
import { writeActivity } from "./write-activity.js";

/** A batch waits at most this long for company. */
const BATCH_WAIT_MS = 200;
const BATCH_MAX_RECORDS = 5_000;
const BATCH_MAX_BYTES = 4 * 1024 * 1024;
/** Cut batches waiting for the database; beyond it they go to the spool. */
const QUEUE_MAX_BYTES = 16 * 1024 * 1024;
/** A flow takes about this much of a datagram: what a batch of them will become is bounded too. */
const FLOW_OCTETS = 48;
/** Samples of what could not be read, waiting to be kept; more are only counted. */
const MAX_SAMPLES = 200;
const SAMPLE_BYTES = 256;
const RECONNECT_MS = 1_000;
const HOUSEKEEPING_MS = 1_000;
const TICK_US = 2_000_000;
const REPEAT_OBSERVATION_US = 30_000_000;

export interface PipelineOptions {
  readonly connection: pg.ClientConfig;
  readonly collectorName: string;
  readonly ratePerSender: number;
  /** Days that records of single kinds are kept. */
  readonly keepByKind: ReadonlyMap<string, number>;
  /** Called about once a second with the connection, while there is one. */
  readonly onHousekeeping: (client: pg.Client) => Promise<void>;
}

/** A batch gets its number when it is first stored or spooled, so that numbers follow the order of storage. */
interface CutBatch {
  number: number | null;
  readonly throughUs: number;
  readonly arrivals: readonly Arrival[];
  readonly bytes: number;
}

interface Connected {
  readonly client: pg.Client;
  readonly writer: BatchWriter;
  readonly ids: IdSource;
  lastBatch: number;
}

/**
 * From arrivals to committed batches: cap, cut, number, decode, store; the spool while the database is away. Everything that does not
 * become a record is counted, and what was lost becomes a record of Halvik's own.
 */
export class Pipeline implements EndpointSink {
  private current: Arrival[] = [];
  private currentBytes = 0;
  private currentRecords = 0;
  private samples: Undecodable[] = [];
  private currentSinceUs = 0;
  private readonly queue: CutBatch[] = [];
  private queueBytes = 0;
  private readonly cap: RateCap;
  private connected: Connected | null = null;
  private number: number;
  private observations: OwnObservation[] = [];
  private readonly lastTold = new Map<string, number>();
  private lossSinceTold = new Map<string, { endpoint: string; reason: string; count: number }>();
  private cappedSinceTold = new Map<string, number>();
  private heldCounts = new Map<number, number>();
  private awaySinceUs: number | null = null;
  private spooledRecords = 0;
  private gapsTold = 0;
  private storingHead = false;
  private replaying = false;
  private spoolTask: Promise<void> | null = null;
  private lastCommitUs = 0;
  private lastHousekeepingMs = 0;
  private stopping = false;
  private loop: Promise<void> | null = null;
  private wake: (() => void) | null = null;
  readonly counters = {
    stored: 0,
    spooled: 0,
    capped: 0,
    refused: 0,
    held: 0,
    "held: refused, too many": 0,
    "unlisted senders": 0,
    lost: 0,
    undecodable: 0,
  };

  constructor(
    private readonly options: PipelineOptions,
    private readonly registry: SenderRegistry,
    readonly decoders: Decoders,
    private readonly spool: Spool,
    private readonly log: Logger,
  ) {
    this.cap = new RateCap(options.ratePerSender);
    this.number = spool.lastNumber();
  }

  get behind(): boolean {
    return this.queueBytes > QUEUE_MAX_BYTES / 2;
  }

  get isSpooling(): boolean {
    return this.awaySinceUs !== null || !this.spool.isEmpty;
  }

  get databaseAway(): boolean {
    return this.connected === null;
  }

  get spoolBytes(): number {
    return this.spool.bytes;
  }

  start(): void {
    this.loop = this.run();
  }

  /** Stores or spools what is in hand, then stops. */
  async stop(): Promise<void> {
    this.cut();
    this.stopping = true;
    this.wake?.();
    await this.loop;
    if (this.connected) await writeActivity(this.connected.client, this.registry, true).catch(() => undefined);
    await this.connected?.client.end().catch(() => undefined);
    await this.spool.close();
  }

  take(arrival: Arrival): void {
    if (!this.cap.allows(arrival.peer, arrival.receivedUs)) {
      this.counters.capped++;
      const sender = this.registry.peer(arrival.peer);
      if (sender) {
        sender.fresh.capped++;
        sender.touched = true;
      }
      this.cappedSinceTold.set(arrival.peer, (this.cappedSinceTold.get(arrival.peer) ?? 0) + 1);
      arrival.settle?.("refused");
      return;
    }
    if (this.current.length === 0) this.currentSinceUs = nowUs();
    this.current.push(arrival);
    this.currentBytes += arrivalBytes(arrival);
    this.currentRecords += arrival.protocol === "flow" ? arrival.bytes.length / FLOW_OCTETS : 1;
    if (this.currentRecords >= BATCH_MAX_RECORDS || this.currentBytes >= BATCH_MAX_BYTES) this.cut();
  }

  undecodable(arrival: Arrival, problem: DecodeProblem): void {
    this.counters.undecodable++;
    if (this.samples.length < MAX_SAMPLES)
      this.samples.push({
        arrival: { ...arrival, bytes: new Uint8Array(arrival.bytes.subarray(0, SAMPLE_BYTES)) },
        problem,
      });
  }

  lost(endpoint: string, reason: string, count: number): void {
    this.counters.lost += count;
    const known = this.lossSinceTold.get(`${endpoint} ${reason}`);
    if (known) known.count += count;
    else this.lossSinceTold.set(`${endpoint} ${reason}`, { endpoint, reason, count });
  }

  /** Notes something about Halvik itself, as a record of the next batch. */
  observe(observation: OwnObservation): void {
    if (this.observations.length < 1_000) this.observations.push(observation);
  }

  private cut(): void {
    if (this.current.length === 0) return;
    this.queue.push({ number: null, throughUs: nowUs(), arrivals: this.current, bytes: this.currentBytes });
    this.queueBytes += this.currentBytes;
    this.current = [];
    this.currentBytes = 0;
    this.currentRecords = 0;
    // a store or a replay that takes long must not gather all that comes meanwhile in memory
    if (this.queueBytes > QUEUE_MAX_BYTES && (this.storingHead || this.replaying)) void this.spoolQueue();
    this.wake?.();
  }

  private async run(): Promise<void> {
    let triedMs = 0;
    for (;;) {
      if (nowUs() - this.currentSinceUs >= BATCH_WAIT_MS * 1_000) this.cut();
      const now = performance.now();
      if (this.connected === null && (now - triedMs >= RECONNECT_MS || triedMs === 0)) {
        triedMs = now;
        await this.connect();
      }
      if (this.connected !== null && !this.spool.isEmpty) await this.replaySome();
      await this.workQueue();
      if (now - this.lastHousekeepingMs >= HOUSEKEEPING_MS) {
        this.lastHousekeepingMs = now;
        await this.housekeeping();
      }
      if (this.stopping && this.queue.length === 0 && this.current.length === 0) return;
      if (this.queue.length === 0) await this.pause();
    }
  }

  private pause(): Promise<void> {
    return new Promise((resolve) => {
      const timer = setTimeout(done, 20);
      const self = this;
      function done() {
        clearTimeout(timer);
        self.wake = null;
        resolve();
      }
      this.wake = done;
    });
  }

  private async workQueue(): Promise<void> {
    while (this.queue.length > 0) {
      const cut = this.queue[0]!;
      if (this.spoolTask !== null) await this.spoolTask;
      else if (this.connected !== null && this.spool.isEmpty) {
        cut.number ??= ++this.number;
        this.storingHead = true;
        const stored = await this.store({ ...cut, number: cut.number }, nowUs());
        this.storingHead = false;
        if (stored) this.leaveQueue(cut);
      }
      // order is kept: nothing is stored directly while older batches lie in the spool; what little comes meanwhile waits
      else if (this.connected !== null && this.queueBytes <= QUEUE_MAX_BYTES && !waitsForAnswer(cut) && !this.stopping)
        return;
      else await this.spoolQueue();
    }
  }

  private leaveQueue(cut: CutBatch): void {
    this.queue.splice(this.queue.indexOf(cut), 1);
    this.queueBytes -= cut.bytes;
  }

  /**
   * Puts what is queued to disk, all while the database is away, else until half the queue is free; not the batch that is being
   * stored. One at a time, beside a store that takes long.
   */
  private spoolQueue(): Promise<void> {
    this.spoolTask ??= (async () => {
      for (;;) {
        const cut = this.queue[this.storingHead ? 1 : 0];
        const enough = this.connected === null || this.stopping ? 0 : QUEUE_MAX_BYTES / 2;
        if (cut === undefined || (this.queueBytes <= enough && !waitsForAnswer(cut))) break;
        cut.number ??= ++this.number;
        await this.toSpool({ ...cut, number: cut.number });
        this.leaveQueue(cut);
      }
    })().finally(() => {
      this.spoolTask = null;
    });
    return this.spoolTask;
  }

  private async toSpool(batch: SpooledBatch): Promise<void> {
    this.awaySinceUs ??= nowUs();
    const kept = await this.spool.append(batch).catch((e: Error) => {
      this.log.error({ err: e }, "spool cannot be written");
      return false;
    });
    if (kept) {
      this.counters.spooled += batch.arrivals.length;
      this.spooledRecords += batch.arrivals.length;
      settle(batch.arrivals, "spooled");
    } else {
      this.lost("spool", "the database is away and the spool is full or cannot be written", batch.arrivals.length);
      settle(batch.arrivals, "lost");
    }
  }

  private async connect(): Promise<void> {
    const client = new pg.Client(this.options.connection);
    client.on("error", () => this.disconnected(client));
    try {
      await client.connect();
      const claim = await claimCollector(client, this.options.collectorName, "live");
      const ids = new IdSource(claim.number, claim.lastIdUs);
      await this.registry.refresh(client);
      this.heldCounts = await countHeld(client);
      this.number = Math.max(this.number, claim.lastBatch);
      this.connected = {
        client,
        writer: new BatchWriter(
          client,
          claim.number,
          false,
          keepDaysBy((id) => this.registry.get(id)?.facts.keepDays, this.options.keepByKind),
        ),
        ids,
        lastBatch: claim.lastBatch,
      };
    } catch (e) {
      this.log.warn({ err: e }, "database cannot be reached");
      this.awaySinceUs ??= nowUs();
      await client.end().catch(() => undefined);
    }
  }

  private disconnected(client: pg.Client): void {
    if (this.connected?.client !== client) return;
    this.connected = null;
    client.end().catch(() => undefined);
  }

  /** Works the spool off for a while; housekeeping has its turn in between. */
  private async replaySome(): Promise<void> {
    const until = performance.now() + HOUSEKEEPING_MS / 2;
    this.replaying = true;
    try {
      while (performance.now() < until && !this.stopping) {
        const batch = await this.spool.peek();
        if (batch === null) {
          this.tellReturn();
          return;
        }
        // a batch whose commit was answered too late is there already
        if (batch.number > this.connected!.lastBatch && !(await this.store(batch, nowUs()))) return;
        await this.spool.drop();
      }
    } finally {
      this.replaying = false;
    }
  }

  private tellReturn(): void {
    if (this.awaySinceUs === null) return;
    const awayUs = nowUs() - this.awaySinceUs;
    if (this.spooledRecords > 0)
      this.observe({
        event: "spool-in-use",
        severity: 3,
        outcome: "failure",
        subject: this.options.collectorName,
        text: `The store did not answer for ${formatDuration(awayUs)}; ${this.spooledRecords} records were kept on disk meanwhile and are stored now.`,
        data: [["records", String(this.spooledRecords)]],
      });
    this.awaySinceUs = null;
    this.spooledRecords = 0;
  }

  /** @returns false when the connection broke: the batch is still to be kept */
  private async store(batch: SpooledBatch, storedUs: number, forgetIds: readonly number[] = []): Promise<boolean> {
    const { client, writer, ids } = this.connected!;
    const { decoders } = this;
    decoders.begin();
    try {
      const unknown = findUnknown(batch.arrivals, this.registry, decoders);
      if (unknown.unknownPeers.size > 0) await this.registry.notice(client, unknown.unknownPeers);
      if (unknown.unknownHosts.size > 0) await this.registry.noticeBehind(client, unknown.unknownHosts);
      const decoded = decodeBatch(batch.arrivals, this.registry, {
        decoders,
        ids,
        nowUs: storedUs,
        imported: false,
      });
      const own = this.observations.map((o) => ({
        id: ids.next(storedUs),
        sender: OWN_SENDER,
        endpoint: "halvik",
        copyOf: null,
        content: ownRecord(o, storedUs),
      }));
      const held = this.withinBounds(decoded);
      await writer.commit(
        { number: batch.number, records: [...decoded.records, ...own], throughUs: batch.throughUs, runRules: true },
        storedUs,
        async (db) => {
          await holdRecords(db, held);
          await forgetHeld(db, forgetIds);
          await keepMeasures(db, decoders.measures);
        },
      );
      this.observations.splice(0, own.length);
      this.connected!.lastBatch = batch.number;
      this.lastCommitUs = storedUs;
      this.counters.stored += decoded.records.length;
      this.counters.refused += decoded.refused;
      this.counters.held += held.length;
      this.counters["unlisted senders"] += decoded.unlisted;
      for (const { arrival, problem } of decoders.undecodable) this.undecodable(arrival, problem);
      this.settleStored(batch.arrivals, decoded, held);
      return true;
    } catch (e) {
      decoders.rollback();
      if (!isOutage(e)) {
        this.log.error({ err: e, batch: batch.number }, "the database refused a batch");
        this.lost("store", `the database refused them: ${(e as Error).message}`, batch.arrivals.length);
        settle(batch.arrivals, "lost");
        return true;
      }
      this.log.warn({ err: e }, "database went away");
      this.awaySinceUs ??= nowUs();
      this.disconnected(client);
      return false;
    }
  }

  private settleStored(arrivals: readonly Arrival[], decoded: DecodedBatch, kept: DecodedBatch["held"]): void {
    const waiting = arrivals.filter((a) => a.settle);
    if (waiting.length === 0) return;
    const held = new Set(kept.map((h) => h.arrival));
    const refused = new Set([...decoded.refusedArrivals, ...decoded.held.map((h) => h.arrival)]);
    for (const a of waiting) a.settle!(held.has(a) ? "held" : refused.has(a) ? "refused" : "stored");
  }

  private withinBounds(decoded: DecodedBatch): DecodedBatch["held"] {
    let inAll = [...this.heldCounts.values()].reduce((a, b) => a + b, 0);
    return decoded.held.filter(({ sender }) => {
      const held = this.heldCounts.get(sender) ?? 0;
      const live = this.registry.get(sender);
      if (live) live.touched = true;
      if (held >= HELD_PER_SENDER || inAll >= HELD_IN_ALL) {
        this.counters["held: refused, too many"]++;
        if (live) live.fresh.heldRefused++;
        return false;
      }
      if (live) live.fresh.held++;
      this.heldCounts.set(sender, held + 1);
      inAll++;
      return true;
    });
  }

  private async housekeeping(): Promise<void> {
    this.tellLosses();
    if (this.connected === null) return;
    const { client } = this.connected;
    try {
      if (await this.registry.refresh(client)) this.heldCounts = await countHeld(client);
      const { ids, arrivals } = await takeAdmitted(client, BATCH_MAX_RECORDS);
      const idle = nowUs() - this.lastCommitUs > TICK_US;
      // numbers are committed in order: what lies in the spool has lower ones, and would be taken for stored
      const inOrder = this.spool.isEmpty && this.spoolTask === null;
      if (inOrder && (arrivals.length > 0 || this.observations.length > 0 || idle))
        await this.store({ number: ++this.number, throughUs: nowUs(), arrivals }, nowUs(), ids);
      await expireHeld(client, nowUs());
      await writeActivity(client, this.registry, false);
      await keepUndecodable(client, this.samples.splice(0));
      await addUnnamed(client, this.decoders.takeUnnamed(), nowUs());
      await saveFlowDomains(client, this.decoders.flows, nowUs());
      await this.options.onHousekeeping(client);
    } catch (e) {
      this.log.warn({ err: e }, "housekeeping failed");
      if (isOutage(e)) this.disconnected(client);
    }
  }

  private tellLosses(): void {
    for (const { endpoint, reason, count } of this.lossSinceTold.values()) {
      this.observe({
        event: "records-lost",
        severity: 3,
        outcome: "failure",
        subject: endpoint,
        text: `${count} lost at ${endpoint}: ${reason}.`,
        data: [
          ["count", String(count)],
          ["reason", reason],
        ],
      });
    }
    this.lossSinceTold = new Map();
    const now = nowUs();
    const gaps = this.decoders.counters["sequence gaps"] - this.gapsTold;
    if (gaps > 0 && now - (this.lastTold.get("flow gaps") ?? 0) >= REPEAT_OBSERVATION_US) {
      this.lastTold.set("flow gaps", now);
      this.gapsTold += gaps;
      this.observe({
        event: "flow-gaps",
        severity: 5,
        outcome: "failure",
        subject: this.options.collectorName,
        text: `${gaps} numbered by exporters never came: flow datagrams were lost on their way.`,
        data: [["count", String(gaps)]],
      });
    }
    for (const [peer, count] of this.cappedSinceTold) {
      if (now - (this.lastTold.get(peer) ?? 0) < REPEAT_OBSERVATION_US) continue;
      const name = this.registry.peer(peer)?.facts.name ?? peer;
      this.observe({
        event: "senders-capped",
        severity: 4,
        outcome: "failure",
        subject: name,
        text: `${name} sent more than ${this.options.ratePerSender} records/s; ${count} were counted and not kept.`,
        data: [["count", String(count)]],
      });
      this.lastTold.set(peer, now);
      this.cappedSinceTold.delete(peer);
    }
  }
}

const waitsForAnswer = (cut: CutBatch): boolean => cut.arrivals.some((a) => a.settle !== undefined);

/** Tells arrivals that wait for it what became of them. */
function settle(arrivals: readonly Arrival[], fate: Fate): void {
  for (const a of arrivals) a.settle?.(fate);
}

/** Whether an error says that the database cannot be used now, rather than that it refuses this batch. */
function isOutage(e: unknown): boolean {
  const code = (e as { code?: unknown } | null)?.code;
  // classes 22 and 23: the data itself is refused; everything else (no connection, shutting down, no disk) may pass
  return !(typeof code === "string" && /^(22|23)/.test(code));
}
