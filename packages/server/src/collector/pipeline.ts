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
import { IdSource } from "../store/record-id.js";
import { type Arrival, arrivalBytes } from "./arrival.js";
import { type DecodedBatch, decodeBatch, findUnknown } from "./decode-batch.js";
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
const QUEUE_MAX_BYTES = 24 * 1024 * 1024;
const RECONNECT_MS = 1_000;
const HOUSEKEEPING_MS = 1_000;
const TICK_US = 2_000_000;
const REPEAT_OBSERVATION_US = 30_000_000;

export interface PipelineOptions {
  readonly connection: pg.ClientConfig;
  readonly collectorName: string;
  readonly ratePerSender: number;
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
  };

  constructor(
    private readonly options: PipelineOptions,
    private readonly registry: SenderRegistry,
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
      return;
    }
    if (this.current.length === 0) this.currentSinceUs = nowUs();
    this.current.push(arrival);
    this.currentBytes += arrivalBytes(arrival);
    if (this.current.length >= BATCH_MAX_RECORDS || this.currentBytes >= BATCH_MAX_BYTES) this.cut();
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
      if (this.connected !== null && !this.spool.isEmpty) await this.replay();
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
      cut.number ??= ++this.number;
      const batch = { number: cut.number, throughUs: cut.throughUs, arrivals: cut.arrivals };
      // order is kept: nothing is stored directly while older batches lie in the spool
      const direct = this.connected !== null && this.spool.isEmpty && this.queueBytes <= QUEUE_MAX_BYTES;
      if (direct && !(await this.store(batch, nowUs()))) continue;
      if (!direct) await this.toSpool(batch);
      this.queue.shift();
      this.queueBytes -= cut.bytes;
      if (!direct) return;
    }
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
    } else this.lost("spool", "the database is away and the spool is full or cannot be written", batch.arrivals.length);
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
        writer: new BatchWriter(client, claim.number, false),
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

  private async replay(): Promise<void> {
    for (;;) {
      const batch = await this.spool.peek();
      if (batch === null) break;
      // a batch whose commit was answered too late is there already
      if (batch.number > this.connected!.lastBatch && !(await this.store(batch, nowUs()))) return;
      await this.spool.drop();
      if (this.stopping) return;
    }
    this.tellReturn();
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
    try {
      const unknown = findUnknown(batch.arrivals, this.registry);
      if (unknown.unknownPeers.size > 0) await this.registry.notice(client, unknown.unknownPeers);
      if (unknown.unknownHosts.size > 0) await this.registry.noticeBehind(client, unknown.unknownHosts);
      const decoded = decodeBatch(batch.arrivals, this.registry, { ids, nowUs: storedUs, imported: false });
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
        },
      );
      this.observations.splice(0, own.length);
      this.connected!.lastBatch = batch.number;
      this.lastCommitUs = storedUs;
      this.counters.stored += decoded.records.length;
      this.counters.refused += decoded.refused;
      this.counters.held += held.length;
      this.counters["unlisted senders"] += decoded.unlisted;
      return true;
    } catch (e) {
      if (!isOutage(e)) {
        this.log.error({ err: e, batch: batch.number }, "the database refused a batch");
        this.lost("store", `the database refused them: ${(e as Error).message}`, batch.arrivals.length);
        return true;
      }
      this.log.warn({ err: e }, "database went away");
      this.awaySinceUs ??= nowUs();
      this.disconnected(client);
      return false;
    }
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
      if (arrivals.length > 0 || this.observations.length > 0 || idle) {
        if (arrivals.length > 0 || this.spool.isEmpty)
          await this.store({ number: ++this.number, throughUs: nowUs(), arrivals }, nowUs(), ids);
      }
      await expireHeld(client, nowUs());
      await writeActivity(client, this.registry, false);
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

/** Whether an error says that the database cannot be used now, rather than that it refuses this batch. */
function isOutage(e: unknown): boolean {
  const code = (e as { code?: unknown } | null)?.code;
  // classes 22 and 23: the data itself is refused; everything else (no connection, shutting down, no disk) may pass
  return !(typeof code === "string" && /^(22|23)/.test(code));
}
