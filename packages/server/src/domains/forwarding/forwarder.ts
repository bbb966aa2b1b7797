import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { nowUs } from "../../kernel/clock.js";
import { writeDurably } from "../../kernel/files/durable.js";
import type { Arrival } from "../intake/arrivals/arrival.js";
import { Spool, type SpooledBatch } from "../intake/pipeline/spool.js";
import type { ForwardState } from "./repository.js";
import { RefusedForGood, type Way } from "./ways/way.js";

/** Given to the way at once. */
const CHUNK = 500;
const CHUNK_BYTES = 1024 * 1024;
const FIRST_WAIT_MS = 500;
const LONGEST_WAIT_MS = 30_000;
/** The place in the queue is noted so often: what was delivered since is delivered again after a kill. */
const NOTE_MS = 1_000;

/** Keeps what one forward passes on in a queue on disk, and delivers it in its order, whatever becomes of the receiver. */
export class Forwarder {
  private readonly spool: Spool;
  private readonly placeFile: string;
  /** The last batch that was delivered whole. */
  private place = 0;
  private noted = 0;
  private notedMs = 0;
  private lastTaken = 0;
  private running = true;
  private wake: (() => void) | null = null;
  private endWait: (() => void) | null = null;
  private readonly loop: Promise<void>;
  private state: ForwardState["state"] = "waiting";
  private detail = "";
  private oldestUs: number | null = null;
  private lastUs: number | null = null;
  private sent = 0;
  private refused = 0;
  private lost = 0;
  private failingSinceUs: number | null = null;

  constructor(
    readonly id: number,
    directory: string,
    maxBytes: number,
    private readonly open: () => Way,
  ) {
    this.spool = new Spool(directory, maxBytes, () => {
      this.lost++;
      this.detail = "a part of the queue was damaged on disk and is not delivered";
    });
    this.placeFile = join(directory, "place");
    // written by us; unreadable, it is delivered again from the beginning of what there is
    this.place = existsSync(this.placeFile) ? Number(readFileSync(this.placeFile, "utf8")) || 0 : 0;
    this.noted = this.place;
    this.lastTaken = Math.max(this.place, this.spool.lastNumber());
    this.loop = this.run();
  }

  /** Puts what is passed on of a batch into the queue; once, however often the batch is tried. @returns how many there was no room for */
  async take(batch: number, choose: () => readonly Arrival[]): Promise<number> {
    if (batch <= this.lastTaken) return 0;
    try {
      const arrivals = choose();
      if (arrivals.length === 0) return 0;
      if (await this.spool.append({ number: batch, throughUs: 0, arrivals })) {
        this.lastTaken = batch;
        this.wake?.();
        return 0;
      }
      this.lost += arrivals.length;
      return arrivals.length;
    } catch (e) {
      // the disk refuses: what arrives is stored all the same
      this.lost++;
      this.detail = `a batch could not be queued: ${(e as Error).message}`;
      return 1;
    }
  }

  status(): ForwardState {
    return {
      forward: this.id,
      state: this.state,
      detail: this.detail.slice(0, 400),
      queuedBytes: this.spool.bytes,
      oldestUs: this.oldestUs,
      sent: this.sent,
      refused: this.refused,
      lost: this.lost,
      lastUs: this.lastUs,
    };
  }

  /** Since when nothing can be delivered; null: all is well. */
  get failingSince(): { readonly us: number; readonly why: string } | null {
    return this.failingSinceUs === null ? null : { us: this.failingSinceUs, why: this.detail };
  }

  private async run(): Promise<void> {
    let way: Way | null = null;
    let waitMs = FIRST_WAIT_MS;
    // what of a batch was delivered is not delivered again when the rest has to be
    let begun = { batch: 0, delivered: 0 };
    while (this.running) {
      const batch = await this.next();
      if (batch === null || batch.number <= this.place) {
        if (batch !== null) {
          await this.spool.drop();
          continue;
        }
        this.notePlace(true);
        this.oldestUs = null;
        if (this.state !== "trouble") this.state = "waiting";
        await this.sleep(NOTE_MS, true);
        continue;
      }
      this.oldestUs = batch.arrivals[0]?.receivedUs ?? null;
      try {
        way ??= this.open();
        if (begun.batch !== batch.number) begun = { batch: batch.number, delivered: 0 };
        for (const chunk of chunksOf(batch.arrivals.slice(begun.delivered))) {
          await this.deliver(way, chunk);
          begun.delivered += chunk.length;
          if (!this.running) break;
        }
        if (!this.running) break;
        this.place = batch.number;
        await this.spool.drop();
        this.notePlace(false);
        this.state = "delivering";
        this.detail = "";
        this.failingSinceUs = null;
        this.lastUs = nowUs();
        waitMs = FIRST_WAIT_MS;
      } catch (e) {
        way?.close();
        way = null;
        this.state = "trouble";
        this.detail = (e as Error).message;
        this.failingSinceUs ??= nowUs();
        await this.sleep(waitMs, false);
        waitMs = Math.min(LONGEST_WAIT_MS, waitMs * 2);
      }
    }
    way?.close();
  }

  /** The oldest batch; null: there is none, or the disk does not give it now. */
  private async next(): Promise<SpooledBatch | null> {
    try {
      return await this.spool.peek();
    } catch (e) {
      this.state = "trouble";
      this.detail = `the queue cannot be read: ${(e as Error).message}`;
      this.failingSinceUs ??= nowUs();
      return null;
    }
  }

  /** Delivers a chunk; where the receiver will never take it, in halves until what it refuses stands alone and is passed over. */
  private async deliver(way: Way, chunk: readonly Arrival[]): Promise<void> {
    try {
      await way.deliver(chunk);
      this.sent += chunk.length;
    } catch (e) {
      if (!(e instanceof RefusedForGood)) throw e;
      if (chunk.length === 1) {
        this.refused++;
        this.detail = e.message;
        return;
      }
      const half = Math.ceil(chunk.length / 2);
      await this.deliver(way, chunk.slice(0, half));
      await this.deliver(way, chunk.slice(half));
    }
  }

  private notePlace(now: boolean): void {
    if (this.place === this.noted || (!now && performance.now() - this.notedMs < NOTE_MS)) return;
    this.noted = this.place;
    this.notedMs = performance.now();
    try {
      writeDurably(this.placeFile, String(this.place));
    } catch {
      // a full disk: what was delivered may be delivered again
    }
  }

  /** @param wakes whether something to deliver ends it */
  private sleep(ms: number, wakes: boolean): Promise<void> {
    return new Promise((done) => {
      const end = () => {
        clearTimeout(timer);
        this.wake = null;
        this.endWait = null;
        done();
      };
      const timer = setTimeout(end, ms);
      this.endWait = end;
      if (wakes) this.wake = end;
    });
  }

  /** Ends delivering; what is queued stays for the next start. */
  async stop(): Promise<void> {
    this.running = false;
    this.endWait?.();
    await Promise.race([this.loop, new Promise((done) => setTimeout(done, STOP_MS))]);
    this.notePlace(true);
    this.state = "stopped";
    await this.spool.close();
  }
}

/** A delivery under way is waited for so long; then it is done again at the next start. */
const STOP_MS = 2_000;

function* chunksOf(arrivals: readonly Arrival[]): Generator<readonly Arrival[]> {
  let from = 0;
  let bytes = 0;
  for (let i = 0; i < arrivals.length; i++) {
    bytes += arrivals[i]!.bytes.length;
    if (i + 1 - from < CHUNK && bytes < CHUNK_BYTES) continue;
    yield arrivals.slice(from, i + 1);
    from = i + 1;
    bytes = 0;
  }
  if (from < arrivals.length) yield arrivals.slice(from);
}
