import type { DecodeProblem } from "@halvik/core/base/bytes";
import { formatDuration } from "@halvik/core/base/time";
import { OWN_SENDER } from "@halvik/core/model/senders";
import { fitContent, fitText, type OwnObservation, ownRecord, unreadable } from "@halvik/core/normalise";
import type { Logger } from "pino";
import { nowUs } from "../../../kernel/clock.js";
import { failureOf, noAnswer } from "../../../kernel/db/failure.js";
import { type Client, type Connection, connect, destroy } from "../../../kernel/db/pool.js";
import { BatchWriter, isBatchStored, type Piece } from "../../../store/batches.js";
import { claimCollector } from "../../../store/collectors.js";
import { keepDaysBy } from "../../../store/keep-days.js";
import type { StoredContent } from "../../../store/record-columns.js";
import { IdSource } from "../../../store/record-id.js";
import { type Arrival, arrivalBytes, type Fate } from "../arrivals/arrival.js";
import type { EndpointSink } from "../arrivals/endpoint.js";
import type { Quarantine } from "../quarantine/quarantine.js";
import { endQuarantined, forgetQuarantined, syncQuarantined } from "../quarantine/repository.js";
import type { SenderRegistry } from "../senders/registry.js";
import { writeActivity } from "../senders/write-activity.js";
import type { BatchNumbers } from "./batch-numbers.js";
import { countArrivals, type DecodedBatch, decodeBatch, findUnknown } from "./decode-batch.js";
import { type Decoders, KIND_OF, type Undecodable } from "./decoders.js";
import {
  countHeld,
  expireHeld,
  forgetHeld,
  HELD_IN_ALL,
  HELD_PER_SENDER,
  holdRecords,
  takeAdmitted,
} from "./held-repository.js";
import { RateCap } from "./rate-cap.js";
import { forgetRequests, noteRequests, requestsSeen } from "./requests-repository.js";
import type { Spool, SpooledBatch } from "./spool.js";
import { addUnnamed, keepMeasures, keepUndecodable, saveFlowDomains } from "./state-repository.js";

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
/** A store that takes longer than this is taken for one that may never end: what is in hand is put to disk too. */
const SPOOL_AFTER_MS = 300;
/** Without an answer for so long the database is away. */
const STORE_MS = 20_000;
/** How long one batch may be halved. */
const SALVAGE_MS = 2_000;
const MOST_FAILURES = 3;
/** Use of the spool shorter than this is not told: nothing was lost, and a busy database is no outage. */
const TOLD_AFTER_US = 2_000_000;
const MOST_AGAIN = 20;
const RECONNECT_MS = 1_000;
const HOUSEKEEPING_MS = 1_000;
const TICK_US = 2_000_000;
const REPEAT_OBSERVATION_US = 30_000_000;

export interface PipelineOptions {
  readonly connection: Connection;
  readonly collectorName: string;
  readonly ratePerSender: number;
  /** Days that records of single kinds are kept. */
  readonly keepByKind: ReadonlyMap<string, number>;
  /** Called about once a second with the connection, while there is one. */
  readonly onHousekeeping: (client: Client) => Promise<void>;
}

/** Work that belongs to the same commit. */
type Also = (db: Client) => Promise<void>;
const NOTHING_ELSE: Also = async () => undefined;

/** A batch gets its number when it is first stored or spooled, so that numbers follow the order of storage. */
interface CutBatch {
  number: number | null;
  readonly throughUs: number;
  readonly arrivals: readonly Arrival[];
  readonly bytes: number;
}

interface Connected {
  readonly client: Client;
  readonly writer: BatchWriter;
  readonly ids: IdSource;
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
  private currentSinceMs = 0;
  private readonly queue: CutBatch[] = [];
  private queueBytes = 0;
  private readonly cap: RateCap;
  private connected: Connected | null = null;
  private readonly answered = new WeakSet<Arrival>();
  private failures = { number: -1, times: 0 };
  private observations: OwnObservation[] = [];
  private readonly lastTold = new Map<string, number>();
  private lossSinceTold = new Map<string, { endpoint: string; reason: string; count: number }>();
  private cappedSinceTold = new Map<string, number>();
  private heldCounts = new Map<number, number>();
  private awaySinceUs: number | null = null;
  /** Whether since then the database was not there at all, or gave no answer in time; else it was only slow. */
  private wasGone = false;
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
    "stored as unreadable": 0,
    quarantined: 0,
    "answers not sent": 0,
    "sent again": 0,
    "damaged in spool": 0,
    "housekeeping failures": 0,
  };

  constructor(
    private readonly options: PipelineOptions,
    private readonly registry: SenderRegistry,
    readonly decoders: Decoders,
    private readonly spool: Spool,
    private readonly quarantine: Quarantine,
    private readonly numbers: BatchNumbers,
    private readonly log: Logger,
  ) {
    this.cap = new RateCap(options.ratePerSender);
  }

  get behind(): boolean {
    return this.queueBytes > QUEUE_MAX_BYTES / 2;
  }

  isAdmitted(peer: string): boolean {
    return this.registry.peer(peer)?.facts.state === "admitted";
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
      this.settle([arrival], "capped", `more than ${this.options.ratePerSender} records/s`);
      return;
    }
    if (this.current.length === 0) this.currentSinceMs = performance.now();
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
      if (performance.now() - this.currentSinceMs >= BATCH_WAIT_MS) this.cut();
      const now = performance.now();
      if (this.connected === null && (now - triedMs >= RECONNECT_MS || triedMs === 0)) {
        triedMs = now;
        await this.guarded(() => this.connect());
      }
      if (this.connected !== null && !this.spool.isEmpty) await this.guarded(() => this.replaySome());
      await this.workQueue();
      if (now - this.lastHousekeepingMs >= HOUSEKEEPING_MS) {
        this.lastHousekeepingMs = now;
        await this.guarded(() => this.housekeeping());
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
        cut.number ??= this.numbers.next();
        if (await this.storeHead({ ...cut, number: cut.number })) this.leaveQueue(cut);
      }
      // order is kept: nothing is stored directly while older batches lie in the spool; what little comes meanwhile waits
      else if (this.connected !== null && this.queueBytes <= QUEUE_MAX_BYTES && !waitsForAnswer(cut) && !this.stopping)
        return;
      else await this.spoolQueue();
    }
  }

  /** Stores the batch at the head of the queue, or puts it to disk where that takes long. @returns whether it is kept */
  private async storeHead(batch: SpooledBatch): Promise<boolean> {
    let spooled = false;
    const late = setTimeout(
      () =>
        void this.inSpoolTurn(async () => {
          spooled = await this.toSpool(batch);
        }),
      SPOOL_AFTER_MS,
    );
    this.storingHead = true;
    try {
      const stored = await this.guarded(() => this.store(batch, nowUs()));
      clearTimeout(late);
      // a copy on disk of what is stored after all is passed over by its number
      await this.spoolTask;
      return stored || spooled;
    } finally {
      clearTimeout(late);
      this.storingHead = false;
    }
  }

  /**
   * Waits for the database. Where that takes long, what comes meanwhile is put to disk, so that a crash loses no more than a moment's
   * worth, and who waits for an answer has it.
   */
  private async guarded<T>(work: () => Promise<T>): Promise<T> {
    const begunMs = performance.now();
    const timer = setInterval(() => {
      if (performance.now() - begunMs < SPOOL_AFTER_MS) return;
      this.cut();
      void this.spoolQueue(true);
    }, BATCH_WAIT_MS);
    try {
      return await work();
    } finally {
      clearInterval(timer);
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
  private spoolQueue(all = false): Promise<void> {
    return this.inSpoolTurn(async () => {
      for (;;) {
        const cut = this.queue[this.storingHead ? 1 : 0];
        const enough = this.connected === null || this.stopping || all ? 0 : QUEUE_MAX_BYTES / 2;
        if (cut === undefined || (this.queueBytes <= enough && !waitsForAnswer(cut))) break;
        cut.number ??= this.numbers.next();
        await this.toSpool({ ...cut, number: cut.number });
        this.leaveQueue(cut);
      }
    });
  }

  private inSpoolTurn(work: () => Promise<void>): Promise<void> {
    const before = this.spoolTask ?? Promise.resolve();
    const task: Promise<void> = before.then(work).finally(() => {
      if (this.spoolTask === task) this.spoolTask = null;
    });
    this.spoolTask = task;
    return task;
  }

  /** @returns whether it is on disk; what is not is lost, counted and told */
  private async toSpool(batch: SpooledBatch): Promise<boolean> {
    this.awaySinceUs ??= nowUs();
    const kept = await this.spool.append(batch).catch((e: Error) => {
      this.log.error({ err: e }, "spool cannot be written");
      return false;
    });
    if (kept) {
      this.counters.spooled += batch.arrivals.length;
      this.spooledRecords += batch.arrivals.length;
      this.settle(batch.arrivals, "spooled");
      return true;
    }
    // a batch that is still being stored may yet be kept
    if (this.storingHead && batch.number === this.queue[0]?.number) return false;
    this.lost("spool", "the database is away and the spool is full or cannot be written", batch.arrivals.length);
    this.settle(batch.arrivals, "lost", "the database is away and there is no room on disk");
    return false;
  }

  private async connect(): Promise<void> {
    let client: Client | null = null;
    try {
      client = await connect(this.options.connection, (broken) => this.disconnected(broken));
      const opened = client;
      const claim = await withinMs(STORE_MS, "the first questions", async () => {
        const claimed = await claimCollector(opened, this.options.collectorName, "live");
        await this.registry.refresh(opened);
        this.heldCounts = await countHeld(opened);
        return claimed;
      });
      const ids = new IdSource(claim.number, claim.lastIdUs);
      this.numbers.atLeast(claim.lastBatch);
      this.connected = {
        client,
        writer: new BatchWriter(
          client,
          claim.number,
          null,
          keepDaysBy((id) => this.registry.get(id)?.facts.keepDays, this.options.keepByKind),
        ),
        ids,
      };
    } catch (e) {
      this.log.warn({ err: e }, "database cannot be reached");
      this.awaySinceUs ??= nowUs();
      this.wasGone = true;
      if (client !== null) destroy(client);
    }
  }

  private disconnected(client: Client): void {
    if (this.connected?.client !== client) return;
    this.connected = null;
    this.wasGone = true;
    destroy(client);
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
        if (this.connected === null) return;
        // a batch whose commit was answered too late is there already
        const isStored = await this.isStored(batch.number);
        if (isStored === null || (!isStored && !(await this.store(batch, nowUs())))) return;
        await this.spool.drop();
      }
    } finally {
      this.replaying = false;
    }
  }

  /** Whether the database has a batch; null where it cannot say. */
  private async isStored(number: number): Promise<boolean | null> {
    const { client, writer } = this.connected!;
    try {
      return await withinMs(STORE_MS, "a question", () => isBatchStored(client, writer.collector, number));
    } catch (e) {
      this.log.warn({ err: e }, "database went away");
      this.disconnected(client);
      return null;
    }
  }

  private tellReturn(): void {
    if (this.awaySinceUs === null) return;
    const awayUs = nowUs() - this.awaySinceUs;
    if (this.spooledRecords > 0 && awayUs > TOLD_AFTER_US) {
      const what = this.wasGone ? "did not answer" : "was slow to answer";
      this.observe({
        // a store that is only slow is no outage: it is noted, and raises nothing
        event: this.wasGone ? "spool-in-use" : "store-slow",
        severity: this.wasGone ? 3 : 5,
        outcome: this.wasGone ? "failure" : "unknown",
        subject: this.options.collectorName,
        text: `The store ${what} for ${formatDuration(awayUs)}; ${this.spooledRecords} records were kept on disk meanwhile and are stored now.`,
        data: [["records", String(this.spooledRecords)]],
      });
    }
    this.awaySinceUs = null;
    this.wasGone = false;
    this.spooledRecords = 0;
  }

  /** @returns false when the database is away: the batch is still to be kept */
  private async store(batch: SpooledBatch, storedUs: number, also: Also = NOTHING_ELSE): Promise<boolean> {
    for (let lostAgainst = 0; ; ) {
      if (this.connected === null) return false;
      const { client } = this.connected;
      try {
        await withinMs(STORE_MS, "a batch", () => this.commit(batch, storedUs, also));
        return true;
      } catch (e) {
        this.decoders.rollback();
        let failure = failureOf(e);
        if (failure === "again" && ++lostAgainst > MOST_AGAIN) failure = "unknown";
        if (failure === "outage") {
          this.log.warn({ err: e }, "database went away");
          this.awaySinceUs ??= nowUs();
          this.disconnected(client);
          return false;
        }
        if (failure === "again" || (failure === "unknown" && this.failed(batch.number) < MOST_FAILURES)) continue;
        this.log.error({ err: e, batch: batch.number }, "the database refused a batch; it is stored piece by piece");
        return this.salvage(batch, storedUs, also, e as Error);
      }
    }
  }

  /** How often this batch has failed for a reason that is no outage. */
  private failed(number: number): number {
    this.failures = { number, times: this.failures.number === number ? this.failures.times + 1 : 1 };
    return this.failures.times;
  }

  private async decode(batch: SpooledBatch, storedUs: number): Promise<Decoded> {
    const { client, ids } = this.connected!;
    const { decoders } = this;
    decoders.begin();
    const arrivals = await this.withoutRepeated(client, batch.arrivals);
    const unknown = findUnknown(arrivals, this.registry, decoders);
    if (unknown.unknownPeers.size > 0) await this.registry.notice(client, unknown.unknownPeers);
    if (unknown.unknownHosts.size > 0) await this.registry.noticeBehind(client, unknown.unknownHosts);
    const decoded = decodeBatch(arrivals, this.registry, { decoders, ids, nowUs: storedUs, imported: false });
    const own = this.observations.map((o) => ({
      id: ids.next(storedUs),
      sender: OWN_SENDER,
      endpoint: "halvik",
      copyOf: null,
      content: ownRecord(o, storedUs),
    }));
    return Object.assign(decoded, { own, arrivals });
  }

  /** Leaves out what was sent again and is stored, or comes twice in this batch. */
  private async withoutRepeated(client: Client, arrivals: readonly Arrival[]): Promise<readonly Arrival[]> {
    const keys = keysOf(arrivals);
    if (keys.length === 0) return arrivals;
    const known = new Set(await requestsSeen(client, keys));
    return arrivals.filter(({ requestKey }) => {
      if (requestKey === undefined) return true;
      if (known.has(requestKey)) return false;
      known.add(requestKey);
      return true;
    });
  }

  private async commit(batch: SpooledBatch, storedUs: number, also: Also): Promise<void> {
    const decoded = await this.decode(batch, storedUs);
    const held = this.withinBounds(decoded);
    await this.connected!.writer.commit(
      {
        number: batch.number,
        records: [...decoded.records, ...decoded.own],
        throughUs: batch.throughUs,
        runRules: true,
      },
      storedUs,
      async (db) => {
        await holdRecords(db, held);
        await also(db);
        await keepMeasures(db, this.decoders.measures);
        await noteRequests(db, keysOf(decoded.arrivals), storedUs);
      },
    );
    this.stored(decoded, held, storedUs, batch.arrivals.length);
    this.settleStored(batch.arrivals, decoded, held);
  }

  /** Notes what was committed. */
  private stored(decoded: Decoded, held: DecodedBatch["held"], storedUs: number, batchSize: number): void {
    this.observations.splice(0, decoded.own.length);
    this.lastCommitUs = storedUs;
    this.counters.stored += decoded.records.length;
    this.counters.refused += decoded.refused;
    this.counters["unlisted senders"] += decoded.unlisted;
    this.countHeld(decoded, held);
    countArrivals(decoded.arrivals, decoded, this.registry);
    this.counters["sent again"] += batchSize - decoded.arrivals.length;
    for (const { arrival, problem } of this.decoders.undecodable) this.undecodable(arrival, problem);
    this.tellFull(this.connected!.writer.takeFull());
  }

  /**
   * A batch refused as a whole: each arrival by itself, as few at a time as it takes. What the database refuses becomes a record of its
   * bytes with the reason; what it refuses even so, or what there is no time for, goes to quarantine.
   * @param whole why it was refused as a whole
   */
  private async salvage(batch: SpooledBatch, storedUs: number, also: Also, whole: Error): Promise<boolean> {
    const { client, writer } = this.connected!;
    try {
      const decoded = await this.decode(batch, storedUs);
      const held = this.withinBounds(decoded);
      const pieces = piecesOf(decoded.arrivals, decoded, held);
      const salvaged = await withinMs(STORE_MS, "a batch in pieces", () =>
        writer.salvage(
          { number: batch.number, throughUs: batch.throughUs, runRules: true },
          [...pieces, { arrival: null, records: decoded.own }],
          unreadablePiece,
          storedUs,
          performance.now() + SALVAGE_MS,
          [
            also,
            (db) => keepMeasures(db, this.decoders.measures),
            (db) => noteRequests(db, keysOf(decoded.arrivals), storedUs),
          ],
        ),
      );
      this.stored(decoded, held, storedUs, batch.arrivals.length);
      const aside = new Map<Arrival, Error>();
      for (const { piece, reason, kept } of salvaged.refused) {
        if (piece.arrival === null) continue;
        if (!kept) aside.set(piece.arrival, reason);
        else {
          this.counters["stored as unreadable"]++;
          this.settle([piece.arrival], "unreadable", reason.message);
        }
      }
      for (const { piece, reason } of salvaged.left) if (piece.arrival !== null) aside.set(piece.arrival, reason);
      for (const reason of salvaged.others)
        this.lost("store", `counters of interfaces were refused: ${reason.message}`, 1);
      for (const { arrival, records } of pieces) if (aside.has(arrival!)) this.counters.stored -= records.length;
      this.toQuarantine([...aside.keys()], [...aside.values()][0]?.message ?? "", nowUs());
      this.settleStored(batch.arrivals, decoded, held);
      return true;
    } catch (e) {
      this.decoders.rollback();
      if (failureOf(e) === "outage") {
        this.awaySinceUs ??= nowUs();
        this.disconnected(client);
        return false;
      }
      this.log.error({ err: e, batch: batch.number }, "a batch could not be stored even in pieces");
      this.toQuarantine(batch.arrivals, `${whole.message}; in pieces: ${(e as Error).message}`, nowUs());
      return true;
    }
  }

  private toQuarantine(arrivals: readonly Arrival[], reason: string, atUs: number): void {
    if (arrivals.length === 0) return;
    const lost = this.quarantine.keep(arrivals, reason, atUs);
    this.counters.quarantined += arrivals.length - lost;
    if (lost > 0) this.lost("quarantine", `the store refused them (${reason}) and there is no room to keep them`, lost);
    this.settle(arrivals, lost > 0 ? "lost" : "quarantined", reason);
    this.observe({
      event: "batch-quarantined",
      severity: 3,
      outcome: "failure",
      subject: this.options.collectorName,
      text: `The store refused ${arrivals.length} that arrived: ${reason}. They are kept in quarantine, where they can be tried again.`,
      data: [
        ["count", String(arrivals.length)],
        ["senders", [...new Set(arrivals.map((a) => a.peer))].slice(0, 20).join(" ")],
      ],
    });
  }

  private tellFull(sums: number): void {
    const now = nowUs();
    if (sums === 0 || now - (this.lastTold.get("full sums") ?? 0) < REPEAT_OBSERVATION_US) return;
    this.lastTold.set("full sums", now);
    this.observe({
      event: "rollup-full",
      severity: 4,
      outcome: "failure",
      subject: this.options.collectorName,
      text: `${sums} sums of traffic have reached 2^63 − 1 octets or packets and say “at least” from now on: some exporter's counters cannot be true.`,
      data: [["count", String(sums)]],
    });
  }

  /** Tells arrivals that wait for it what became of them, once. An answer that cannot be sent is counted: it is nobody else's trouble. */
  private settle(arrivals: readonly Arrival[], fate: Fate, reason?: string): void {
    for (const a of arrivals) {
      if (a.settle === undefined || this.answered.has(a)) continue;
      this.answered.add(a);
      try {
        a.settle(fate, reason);
      } catch (e) {
        this.counters["answers not sent"]++;
        this.log.warn({ err: e }, "an answer could not be sent");
      }
    }
  }

  private settleStored(arrivals: readonly Arrival[], decoded: DecodedBatch, kept: DecodedBatch["held"]): void {
    const waiting = arrivals.filter((a) => a.settle);
    if (waiting.length === 0) return;
    const held = new Set(kept.map((h) => h.arrival));
    const refused = new Set([...decoded.refusedArrivals, ...decoded.held.map((h) => h.arrival)]);
    for (const a of waiting) this.settle([a], held.has(a) ? "held" : refused.has(a) ? "refused" : "stored");
  }

  /** What there is room to hold of what waiting senders sent. */
  private withinBounds(decoded: DecodedBatch): DecodedBatch["held"] {
    let inAll = [...this.heldCounts.values()].reduce((a, b) => a + b, 0);
    const fresh = new Map<number, number>();
    return decoded.held.filter(({ sender }) => {
      const own = fresh.get(sender) ?? 0;
      if ((this.heldCounts.get(sender) ?? 0) + own >= HELD_PER_SENDER || inAll >= HELD_IN_ALL) return false;
      fresh.set(sender, own + 1);
      inAll++;
      return true;
    });
  }

  private countHeld(decoded: DecodedBatch, kept: DecodedBatch["held"]): void {
    const isKept = new Set(kept);
    this.counters.held += kept.length;
    this.counters["held: refused, too many"] += decoded.held.length - kept.length;
    for (const one of decoded.held) {
      if (isKept.has(one)) this.heldCounts.set(one.sender, (this.heldCounts.get(one.sender) ?? 0) + 1);
      const live = this.registry.get(one.sender);
      if (live === undefined) continue;
      live.touched = true;
      if (isKept.has(one)) live.fresh.held++;
      else live.fresh.heldRefused++;
    }
  }

  /** Each step by itself: one that is refused keeps none of the others from its turn. */
  private async housekeeping(): Promise<void> {
    this.tellLosses();
    for (const [what, step] of this.chores) {
      if (this.connected === null) return;
      const { client } = this.connected;
      try {
        await withinMs(STORE_MS, what, () => step(client));
      } catch (e) {
        this.log.warn({ err: e }, `housekeeping: ${what} failed`);
        if (failureOf(e) === "outage") return this.disconnected(client);
        this.counters["housekeeping failures"]++;
      }
    }
  }

  private readonly chores: readonly (readonly [what: string, step: (client: Client) => Promise<unknown>])[] = [
    [
      "reading who sends",
      async (client) => {
        if (await this.registry.refresh(client)) this.heldCounts = await countHeld(client);
      },
    ],
    ["storing what was held", (client) => this.storeHeld(client)],
    ["quarantine", (client) => this.tendQuarantine(client)],
    ["forgetting what was held", (client) => expireHeld(client, nowUs())],
    ["forgetting who waits no more", (client) => this.registry.forgetWaiting(client, nowUs())],
    ["counts of senders", (client) => writeActivity(client, this.registry, false)],
    ["requests of before", (client) => forgetRequests(client, nowUs())],
    ["samples", (client) => keepUndecodable(client, this.samples.splice(0))],
    ["names nobody knows", (client) => addUnnamed(client, this.decoders.takeUnnamed(), nowUs())],
    ["templates of exporters", (client) => saveFlowDomains(client, this.decoders.flows, nowUs())],
    ["settings", (client) => this.options.onHousekeeping(client)],
  ];

  /** What was held for senders admitted by now, and Halvik's own observations; a batch of nothing says that time goes on. */
  private async storeHeld(client: Client): Promise<void> {
    // numbers are committed in order: what lies in the spool has lower ones
    if (!this.spool.isEmpty || this.spoolTask !== null) return;
    const { ids, arrivals } = await takeAdmitted(client, BATCH_MAX_RECORDS);
    const idle = nowUs() - this.lastCommitUs > TICK_US || this.lastCommitUs > nowUs();
    if (arrivals.length === 0 && this.observations.length === 0 && !idle) return;
    await this.store({ number: this.numbers.next(), throughUs: nowUs(), arrivals }, nowUs(), (db) =>
      forgetHeld(db, ids),
    );
  }

  /** Says what lies in quarantine, and does what people decided about it. */
  private async tendQuarantine(client: Client): Promise<void> {
    const { collectorName } = this.options;
    const decided = await syncQuarantined(client, collectorName, this.quarantine.list());
    for (const { file, state } of decided) {
      const arrivals = state === "again" ? this.quarantine.take(file) : [];
      for (let i = 0; i < arrivals.length; i += BATCH_MAX_RECORDS) {
        const part = arrivals.slice(i, i + BATCH_MAX_RECORDS);
        const isLast = i + BATCH_MAX_RECORDS >= arrivals.length;
        const kept = await this.store(
          { number: this.numbers.next(), throughUs: nowUs(), arrivals: part },
          nowUs(),
          (db) => (isLast ? endQuarantined(db, file) : Promise.resolve()),
        );
        if (!kept) return;
      }
      this.quarantine.forget(file);
      await forgetQuarantined(client, file);
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

/** A batch as decoded: what was sent again is left out of its arrivals. */
type Decoded = DecodedBatch & { readonly own: StoredContent[]; readonly arrivals: readonly Arrival[] };

const keysOf = (arrivals: readonly Arrival[]): string[] => arrivals.flatMap((a) => a.requestKey ?? []);

/** An arrival with what came of it; null: Halvik's own observations. */
interface ArrivalPiece extends Piece {
  readonly arrival: Arrival | null;
}

function piecesOf(arrivals: readonly Arrival[], decoded: DecodedBatch, held: DecodedBatch["held"]): ArrivalPiece[] {
  const waiting = new Map(held.map((h) => [h.arrival, h]));
  return arrivals.flatMap((arrival, i) => {
    const records = decoded.records.slice(decoded.ends[i - 1] ?? 0, decoded.ends[i]);
    const own = waiting.get(arrival);
    if (own !== undefined) return [{ arrival, records, also: (db: Client) => holdRecords(db, [own]) }];
    return records.length === 0 ? [] : [{ arrival, records }];
  });
}

/** What stands for an arrival whose records the store refuses: its bytes and the reason, under the first of their ids. */
function unreadablePiece({ arrival, records }: ArrivalPiece, reason: Error): ArrivalPiece | null {
  const first = records[0];
  if (arrival === null || first === undefined) return null;
  const message = fitText(`the store refused it: ${reason.message}`, 500);
  const problem = { code: "NOT_STORABLE" as const, offset: 0, message };
  const content = unreadable(KIND_OF[arrival.protocol], arrival.bytes, arrival.receivedUs, problem);
  return { arrival, records: [{ ...first, copyOf: null, content: fitContent(content, arrival.bytes) }] };
}

/** @throws an outage when there is no answer in time: a database that hangs is one that is away */
async function withinMs<T>(ms: number, what: string, work: () => Promise<T>): Promise<T> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(noAnswer(what, ms)), ms);
  });
  try {
    return await Promise.race([work(), late]);
  } finally {
    clearTimeout(timer);
  }
}
