import type { DecodeProblem } from "@halvik/core/base/bytes";
import type { OwnObservation } from "@halvik/core/normalise";
import type { Logger } from "pino";
import { nowUs } from "../../../kernel/clock.js";
import { failureOf } from "../../../kernel/db/failure.js";
import type { Client } from "../../../kernel/db/pool.js";
import { withinMs } from "../../../kernel/db/within.js";
import type { Arrival } from "../arrivals/arrival.js";
import type { EndpointSink } from "../arrivals/endpoint.js";
import type { Quarantine } from "../quarantine/quarantine.js";
import { endQuarantined, forgetQuarantined, syncQuarantined } from "../quarantine/repository.js";
import { countOne, type SenderRegistry } from "../senders/registry.js";
import { writeActivity } from "../senders/write-activity.js";
import { Answers } from "./answers.js";
import { BATCH_MAX_RECORDS, BatchCutter } from "./batch-cutter.js";
import type { BatchNumbers } from "./batch-numbers.js";
import { BatchStore, type BatchStoreOptions, STORE_MS } from "./batch-store.js";
import { newCounters } from "./counters.js";
import type { Decoders } from "./decoders.js";
import { forgetHeld, takeAdmitted } from "./held-repository.js";
import { HeldRoom } from "./held-room.js";
import { OwnNotices } from "./own-notices.js";
import { RateCap } from "./rate-cap.js";
import { forgetMostRequests, forgetRequests } from "./requests-repository.js";
import type { Spool, SpooledBatch } from "./spool.js";
import { addUnnamed, saveFlowDomains, saveTemplateUses } from "./state-repository.js";
import { StoreAbsence } from "./store-absence.js";
import { UndecodableSamples } from "./undecodable-samples.js";

/** Cut batches waiting for the database; beyond it they go to the spool. */
const QUEUE_MAX_BYTES = 16 * 1024 * 1024;
/** A store that takes longer than this is taken for one that may never end: what is in hand is put to disk too. */
const SPOOL_AFTER_MS = 300;
const RECONNECT_MS = 1_000;
/** How often it is looked whether a wait for the database lasts. */
const GUARD_MS = 200;
const HOUSEKEEPING_MS = 1_000;
const TICK_US = 2_000_000;
/** What only makes room has its turn seldom: every statement costs a resting machine as much as a busy one. */
const SELDOM_MS = 20_000;
const COUNT_EVERY_MS = 600_000;

/** Work beside storing, by which what people decided holds and what is over goes. */
interface Chore {
  readonly what: string;
  /** How long it rests between turns at least; left out: it has its turn each time. */
  readonly everyMs?: number;
  readonly step: (client: Client) => Promise<unknown>;
}

export interface PipelineOptions extends BatchStoreOptions {
  readonly ratePerSender: number;
  /** Called about once a second with the connection, while there is one. */
  readonly onHousekeeping: (client: Client) => Promise<void>;
}

/** A batch gets its number when it is first stored or spooled, so that numbers follow the order of storage. */
interface CutBatch {
  number: number | null;
  readonly throughUs: number;
  readonly arrivals: readonly Arrival[];
  readonly bytes: number;
}

/**
 * From arrivals to committed batches: cap, cut, number, decode, store; the spool while the database is away. Everything that does not
 * become a record is counted, and what was lost becomes a record of Halvik's own.
 */
export class Pipeline implements EndpointSink {
  private readonly cutter = new BatchCutter();
  private readonly queue: CutBatch[] = [];
  private queueBytes = 0;
  private readonly cap: RateCap;
  private readonly notices: OwnNotices;
  private readonly answers: Answers;
  private readonly samples: UndecodableSamples;
  private readonly held: HeldRoom;
  private readonly absence: StoreAbsence;
  private readonly store: BatchStore;
  private storingHead = false;
  /** When chores that rest between turns had theirs. */
  private readonly hadTurnMs = new Map<Chore, number>();
  private readonly begunMs = performance.now();
  private replaying = false;
  private spoolTask: Promise<void> | null = null;
  private lastHousekeepingMs = 0;
  private stopping = false;
  private loop: Promise<void> | null = null;
  private wake: (() => void) | null = null;
  readonly counters = newCounters();

  constructor(
    private readonly options: PipelineOptions,
    private readonly registry: SenderRegistry,
    readonly decoders: Decoders,
    private readonly spool: Spool,
    private readonly quarantine: Quarantine,
    private readonly numbers: BatchNumbers,
    private readonly log: Logger,
  ) {
    const { counters } = this;
    this.cap = new RateCap(options.ratePerSender);
    this.notices = new OwnNotices(options.collectorName, options.ratePerSender, registry, decoders, counters);
    this.answers = new Answers(counters, log);
    this.samples = new UndecodableSamples(counters);
    this.held = new HeldRoom(registry, counters);
    this.absence = new StoreAbsence(options.collectorName, this.notices);
    this.store = new BatchStore(
      options,
      registry,
      decoders,
      quarantine,
      numbers,
      this.held,
      this.notices,
      this.answers,
      this.samples,
      this.absence,
      counters,
      log,
    );
  }

  get behind(): boolean {
    return this.queueBytes > QUEUE_MAX_BYTES / 2;
  }

  isAdmitted(peer: string): boolean {
    return this.registry.peer(peer)?.facts.state === "admitted";
  }

  get isSpooling(): boolean {
    return this.absence.lasts || !this.spool.isEmpty;
  }

  get databaseAway(): boolean {
    return this.store.client === null;
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
    const { client } = this.store;
    if (client) await writeActivity(client, this.registry, true, nowUs()).catch(() => undefined);
    await client?.end().catch(() => undefined);
    await this.spool.close();
  }

  take(arrival: Arrival): void {
    if (!this.cap.allows(arrival.peer, arrival.receivedUs)) {
      this.notices.capped(arrival.peer);
      const sender = this.registry.peer(arrival.peer);
      if (sender) countOne(sender, arrival, "capped");
      this.answers.settle([arrival], "capped", `more than ${this.options.ratePerSender} records/s`);
      return;
    }
    if (this.cutter.take(arrival)) this.cut();
  }

  undecodable(arrival: Arrival, problem: DecodeProblem): void {
    this.turnedAway(arrival, problem, "problems");
  }

  refused(arrival: Arrival, problem: DecodeProblem): void {
    this.turnedAway(arrival, problem, "refused");
  }

  private turnedAway(arrival: Arrival, problem: DecodeProblem, as: "problems" | "refused"): void {
    this.samples.add(arrival, problem);
    const sender = this.registry.peer(arrival.peer);
    if (sender) countOne(sender, arrival, as);
  }

  lost(endpoint: string, reason: string, count: number): void {
    this.notices.lost(endpoint, reason, count);
  }

  /** Notes something about Halvik itself, as a record of the next batch. */
  observe(observation: OwnObservation): void {
    this.notices.observe(observation);
  }

  private cut(): void {
    if (this.cutter.isEmpty) return;
    const cut = this.cutter.cut();
    this.queue.push({ number: null, throughUs: nowUs(), ...cut });
    this.queueBytes += cut.bytes;
    // a store or a replay that takes long must not gather all that comes meanwhile in memory
    if (this.queueBytes > QUEUE_MAX_BYTES && (this.storingHead || this.replaying)) void this.spoolQueue();
    this.wake?.();
  }

  private async run(): Promise<void> {
    let triedMs = 0;
    for (;;) {
      if (this.cutter.isDue) this.cut();
      const now = performance.now();
      if (this.store.client === null && (now - triedMs >= RECONNECT_MS || triedMs === 0)) {
        triedMs = now;
        await this.guarded(() => this.store.connect());
      }
      if (this.store.client !== null && !this.spool.isEmpty) await this.guarded(() => this.replaySome());
      // also where nothing came while the store was away, or nothing could be put to disk
      if (this.store.client !== null && this.spool.isEmpty && this.spoolTask === null) this.absence.end();
      await this.workQueue();
      if (now - this.lastHousekeepingMs >= HOUSEKEEPING_MS) {
        this.lastHousekeepingMs = now;
        await this.guarded(() => this.housekeeping());
      }
      if (this.stopping && this.queue.length === 0 && this.cutter.isEmpty) return;
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
      else if (this.store.client !== null && this.spool.isEmpty) {
        cut.number ??= this.numbers.next();
        if (await this.storeHead({ ...cut, number: cut.number })) this.leaveQueue(cut);
      }
      // order is kept: nothing is stored directly while older batches lie in the spool; what little comes meanwhile waits
      else if (
        this.store.client !== null &&
        this.queueBytes <= QUEUE_MAX_BYTES &&
        !waitsForAnswer(cut) &&
        !this.stopping
      )
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
      const stored = await this.guarded(() => this.store.store(batch, nowUs()));
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
    }, GUARD_MS);
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
        const enough = this.store.client === null || this.stopping || all ? 0 : QUEUE_MAX_BYTES / 2;
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
    this.absence.begin();
    const kept = await this.spool.append(batch).catch((e: Error) => {
      this.log.error({ err: e }, "spool cannot be written");
      return false;
    });
    if (kept) {
      this.counters.spooled += batch.arrivals.length;
      this.absence.spooled(batch.arrivals.length);
      this.answers.settle(batch.arrivals, "spooled");
      return true;
    }
    // a batch that is still being stored may yet be kept
    if (this.storingHead && batch.number === this.queue[0]?.number) return false;
    this.lost("spool", "the database is away and the spool is full or cannot be written", batch.arrivals.length);
    this.answers.settle(batch.arrivals, "lost", "the database is away and there is no room on disk");
    return false;
  }

  /** Works the spool off for a while; housekeeping has its turn in between. */
  private async replaySome(): Promise<void> {
    const until = performance.now() + HOUSEKEEPING_MS / 2;
    this.replaying = true;
    try {
      while (performance.now() < until && !this.stopping) {
        const batch = await this.spool.peek();
        if (batch === null) return;
        if (this.store.client === null) return;
        // a batch whose commit was answered too late is there already
        const isStored = await this.store.isStored(batch.number);
        if (isStored === null || (!isStored && !(await this.store.store(batch, nowUs())))) return;
        await this.spool.drop();
      }
    } finally {
      this.replaying = false;
    }
  }

  /** Each step by itself: one that is refused keeps none of the others from its turn. */
  private async housekeeping(): Promise<void> {
    this.notices.reportDue();
    const nowMs = performance.now();
    for (const chore of this.chores) {
      if (this.store.client === null) return;
      const { client } = this.store;
      const { what, everyMs = 0, step } = chore;
      if (nowMs - (this.hadTurnMs.get(chore) ?? this.begunMs) < everyMs) continue;
      this.hadTurnMs.set(chore, nowMs);
      try {
        await withinMs(STORE_MS, what, () => step(client));
      } catch (e) {
        this.log.warn({ err: e }, `housekeeping: ${what} failed`);
        if (failureOf(e) === "outage") return this.store.disconnected(client);
        this.counters["housekeeping failures"]++;
      }
    }
  }

  private readonly chores: readonly Chore[] = [
    {
      what: "reading who sends",
      step: async (client) => {
        if (await this.registry.refresh(client)) await this.held.refresh(client);
      },
    },
    { what: "storing what was held", step: (client) => this.storeHeld(client) },
    { what: "quarantine", step: (client) => this.tendQuarantine(client) },
    { what: "forgetting what was held", everyMs: SELDOM_MS, step: (client) => this.held.forgetOld(client, nowUs()) },
    {
      what: "forgetting who waits no more",
      everyMs: SELDOM_MS,
      step: (client) => this.registry.forgetWaiting(client, nowUs()),
    },
    { what: "counts of senders", step: (client) => writeActivity(client, this.registry, false, nowUs()) },
    { what: "requests of before", everyMs: SELDOM_MS, step: (client) => forgetRequests(client, nowUs()) },
    { what: "too many requests", everyMs: COUNT_EVERY_MS, step: (client) => forgetMostRequests(client) },
    { what: "samples", step: (client) => this.samples.keep(client) },
    { what: "names nobody knows", step: (client) => addUnnamed(client, this.decoders.takeUnnamed(), nowUs()) },
    { what: "templates of exporters", step: (client) => saveFlowDomains(client, this.decoders.flows, nowUs()) },
    { what: "uses of templates", step: (client) => saveTemplateUses(client, this.decoders.flows, nowUs()) },
    { what: "settings", step: (client) => this.options.onHousekeeping(client) },
  ];

  /** What was held for senders admitted by now, and Halvik's own observations; a batch of nothing says that time goes on. */
  private async storeHeld(client: Client): Promise<void> {
    // numbers are committed in order: what lies in the spool has lower ones
    if (!this.spool.isEmpty || this.spoolTask !== null) return;
    const { ids, arrivals } = await takeAdmitted(client, BATCH_MAX_RECORDS);
    const idle = nowUs() - this.store.lastCommitUs > TICK_US || this.store.lastCommitUs > nowUs();
    if (arrivals.length === 0 && this.notices.pending.length === 0 && !idle) return;
    await this.store.store({ number: this.numbers.next(), throughUs: nowUs(), arrivals }, nowUs(), (db) =>
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
        const kept = await this.store.store(
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
}

const waitsForAnswer = (cut: CutBatch): boolean => cut.arrivals.some((a) => a.settle !== undefined);
