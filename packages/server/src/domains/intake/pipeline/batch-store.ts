import { OWN_SENDER } from "@halvik/core/model/senders";
import { ownRecord } from "@halvik/core/normalise";
import type { Logger } from "pino";
import { nowUs } from "../../../kernel/clock.js";
import { failureOf } from "../../../kernel/db/failure.js";
import { type Client, type Connection, connect, destroy } from "../../../kernel/db/pool.js";
import { withinMs } from "../../../kernel/db/within.js";
import { BatchWriter, isBatchStored } from "../../../store/batches.js";
import { claimCollector } from "../../../store/collectors.js";
import { keepDaysBy } from "../../../store/keep-days.js";
import type { StoredContent } from "../../../store/record-columns.js";
import { IdSource } from "../../../store/record-id.js";
import { KeptShapes } from "../../../store/shapes.js";
import type { Arrival } from "../arrivals/arrival.js";
import { noteFormatUse } from "../arriving/format-use-repository.js";
import { noteArrivalUse } from "../arriving/use-repository.js";
import type { Quarantine } from "../quarantine/quarantine.js";
import type { SenderRegistry } from "../senders/registry.js";
import type { Answers } from "./answers.js";
import type { BatchNumbers } from "./batch-numbers.js";
import type { Counters } from "./counters.js";
import { countArrivals, type DecodedBatch, decodeBatch, findUnknown } from "./decode-batch.js";
import type { Decoders } from "./decoders.js";
import { holdRecords } from "./held-repository.js";
import type { HeldRoom } from "./held-room.js";
import type { OwnNotices } from "./own-notices.js";
import { piecesOf, unreadablePiece } from "./pieces.js";
import { noteRequests, requestsSeen } from "./requests-repository.js";
import type { SpooledBatch } from "./spool.js";
import { keepMeasures } from "./state-repository.js";
import type { StoreAbsence } from "./store-absence.js";
import type { UndecodableSamples } from "./undecodable-samples.js";

/** Without an answer for so long the database is away. */
export const STORE_MS = 20_000;
/**
 * How long one batch may be halved, and taken apart at all. After the first, what is left is tried by sender, once each: what is not tried
 * until the second goes to quarantine, innocents too: a machine that stood still for six seconds had sixty records of nobody's fault there.
 * So that is long, and still well within what the store has to answer in, for a batch given up is tried again.
 */
const [HALVE_MS, SALVAGE_MS] = [2_000, 12_000];
const MOST_FAILURES = 3;
const MOST_AGAIN = 20;

export interface BatchStoreOptions {
  readonly connection: Connection;
  readonly collectorName: string;
  /** Days that records of single kinds are kept. */
  readonly keepByKind: ReadonlyMap<string, number>;
  /** Takes what is passed on of a batch, before it is stored; it is to fail at nothing. */
  readonly onDecoded?: (number: number, decoded: DecodedBatch, arrivals: readonly Arrival[]) => Promise<void>;
}

/** Work that belongs to the same commit. */
type Also = (db: Client) => Promise<void>;
const NOTHING_ELSE: Also = async () => undefined;

interface Connected {
  readonly client: Client;
  readonly writer: BatchWriter;
  readonly ids: IdSource;
  readonly shapes: KeptShapes;
}

/** A batch as decoded: what was sent again is left out of its arrivals. */
type Decoded = DecodedBatch & { readonly own: StoredContent[]; readonly arrivals: readonly Arrival[] };

const keysOf = (arrivals: readonly Arrival[]): string[] => arrivals.flatMap((a) => a.requestKey ?? []);

/** What need not be sent again: what was refused, or was more than is held, is new when it comes again. */
function taken({ arrivals, refusedArrivals, held: waiting }: Decoded, held: DecodedBatch["held"]): readonly Arrival[] {
  const left = new Set([...refusedArrivals, ...waiting.map((h) => h.arrival)]);
  for (const { arrival } of held) left.delete(arrival);
  return left.size === 0 ? arrivals : arrivals.filter((a) => !left.has(a));
}

/**
 * Decodes batches and commits them; what the database refuses is taken apart until the offender stands alone. Says whether a batch is
 * settled, one way or another, or still to be kept because the database is away.
 */
export class BatchStore {
  private connected: Connected | null = null;
  private failures = { number: -1, times: 0 };
  /** When a batch was last committed. */
  lastCommitUs = 0;

  constructor(
    private readonly options: BatchStoreOptions,
    private readonly registry: SenderRegistry,
    private readonly decoders: Decoders,
    private readonly quarantine: Quarantine,
    private readonly numbers: BatchNumbers,
    private readonly held: HeldRoom,
    private readonly notices: OwnNotices,
    private readonly answers: Answers,
    private readonly samples: UndecodableSamples,
    private readonly absence: StoreAbsence,
    private readonly counters: Counters,
    private readonly log: Logger,
  ) {}

  /** The connection, while there is one. */
  get client(): Client | null {
    return this.connected?.client ?? null;
  }

  async connect(): Promise<void> {
    let client: Client | null = null;
    try {
      client = await connect(this.options.connection, (broken) => this.disconnected(broken));
      const opened = client;
      const { claim, shapes } = await withinMs(STORE_MS, "the first questions", async () => {
        const claimed = await claimCollector(opened, this.options.collectorName, "live");
        await this.registry.refresh(opened);
        await this.held.refresh(opened);
        return { claim: claimed, shapes: await KeptShapes.load(opened, nowUs()) };
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
        shapes,
      };
    } catch (e) {
      this.log.warn({ err: e }, "database cannot be reached");
      this.absence.begin();
      this.absence.gone();
      if (client !== null) destroy(client);
    }
  }

  disconnected(client: Client): void {
    if (this.connected?.client !== client) return;
    this.connected = null;
    this.absence.gone();
    destroy(client);
  }

  /** Whether the database has a batch; null where it cannot say. */
  async isStored(number: number): Promise<boolean | null> {
    const { client, writer } = this.connected!;
    try {
      return await withinMs(STORE_MS, "a question", () => isBatchStored(client, writer.collector, number));
    } catch (e) {
      this.log.warn({ err: e }, "database went away");
      this.disconnected(client);
      return null;
    }
  }

  /** @returns false when the database is away: the batch is still to be kept */
  async store(batch: SpooledBatch, storedUs: number, also: Also = NOTHING_ELSE): Promise<boolean> {
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
          this.absence.begin();
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
    const { client, ids, shapes } = this.connected!;
    const { decoders } = this;
    decoders.begin();
    const arrivals = await this.withoutRepeated(client, batch.arrivals);
    const unknown = findUnknown(arrivals, this.registry, decoders);
    if (unknown.unknownPeers.size > 0) await this.registry.notice(client, unknown.unknownPeers);
    if (unknown.unknownHosts.size > 0) await this.registry.noticeBehind(client, unknown.unknownHosts);
    const decoded = decodeBatch(arrivals, this.registry, {
      decoders,
      ids,
      nowUs: storedUs,
      imported: false,
      shapes,
      arrivalRules: this.decoders.settings.arrivalRules,
    });
    const own = this.notices.pending.map((o) => {
      const content = ownRecord(o, storedUs);
      const shape = shapes.learn(content);
      return { id: ids.next(storedUs), sender: OWN_SENDER, endpoint: "halvik", copyOf: null, shape, content };
    });
    const refused = await shapes.save(client, storedUs);
    if (refused !== null) this.log.error({ err: refused }, "the database refused shapes of messages");
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
    const held = this.held.within(decoded);
    await this.options.onDecoded?.(batch.number, decoded, decoded.arrivals);
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
        await noteRequests(db, taken(decoded, held), storedUs);
        await noteArrivalUse(db, decoded.arriving, storedUs);
        await noteFormatUse(db, decoded.formatted, storedUs);
      },
    );
    this.stored(decoded, held, storedUs, batch.arrivals.length);
    this.answers.settleStored(batch.arrivals, decoded, held);
  }

  /** Notes what was committed. */
  private stored(decoded: Decoded, held: DecodedBatch["held"], storedUs: number, batchSize: number): void {
    this.notices.drop(decoded.own.length);
    this.lastCommitUs = storedUs;
    this.counters.stored += decoded.records.length;
    this.counters.refused += decoded.refused;
    this.counters["dropped by rules"] += decoded.arriving.dropped;
    this.counters["unlisted senders"] += decoded.unlisted;
    this.held.count(decoded, held);
    countArrivals(decoded.arrivals, decoded, this.registry, this.decoders);
    this.counters["sent again"] += batchSize - decoded.arrivals.length;
    this.samples.take([...this.decoders.undecodable, ...this.decoders.strays]);
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
      const held = this.held.within(decoded);
      await this.options.onDecoded?.(batch.number, decoded, decoded.arrivals);
      const pieces = piecesOf(decoded.arrivals, decoded, held);
      const begunMs = performance.now();
      const salvaged = await withinMs(STORE_MS, "a batch in pieces", () =>
        writer.salvage(
          { number: batch.number, throughUs: batch.throughUs, runRules: true },
          [...pieces, { arrival: null, records: decoded.own }],
          unreadablePiece,
          storedUs,
          { halveUntilMs: begunMs + HALVE_MS, endMs: begunMs + SALVAGE_MS },
          [
            also,
            (db) => keepMeasures(db, this.decoders.measures),
            (db) => noteRequests(db, taken(decoded, held), storedUs),
            (db) => noteArrivalUse(db, decoded.arriving, storedUs),
            (db) => noteFormatUse(db, decoded.formatted, storedUs),
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
          this.answers.settle([piece.arrival], "unreadable", reason.message);
        }
      }
      for (const { piece, reason } of salvaged.left) if (piece.arrival !== null) aside.set(piece.arrival, reason);
      for (const reason of salvaged.others)
        this.notices.lost("store", `counters of interfaces were refused: ${reason.message}`, 1);
      for (const { arrival, records } of pieces) if (aside.has(arrival!)) this.counters.stored -= records.length;
      this.toQuarantine([...aside.keys()], [...aside.values()][0]?.message ?? "", nowUs());
      this.answers.settleStored(batch.arrivals, decoded, held);
      return true;
    } catch (e) {
      this.decoders.rollback();
      if (failureOf(e) === "outage") {
        this.absence.begin();
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
    if (lost > 0)
      this.notices.lost("quarantine", `the store refused them (${reason}) and there is no room to keep them`, lost);
    this.answers.settle(arrivals, lost > 0 ? "lost" : "quarantined", reason);
    this.notices.observe({
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
}
