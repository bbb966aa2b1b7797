import type { Response } from "express";
import type { Actor } from "../actor.js";
import { AppError } from "./errors.js";

const MOST_EACH = 8;
const MOST_IN_ALL = 100;
/** How long a stream outlives the right it was begun with, at most. */
const CHECK_MS = 3_000;
/** A reader that takes nothing for so long has gone. */
const STALLED_MS = 60_000;

/** An answer that goes on for as long as someone reads. */
export interface LiveStream {
  /** False: the reader is behind, or has gone; what is meant for it now is to be left out or made again later. */
  readonly isReady: boolean;
  readonly isOver: boolean;
  write(text: string): void;
  /** Called once, whyever it ended. */
  onEnd(work: () => void): void;
}

/** Streams that go on: so many a person and in all, ended when the right to them is. */
export class Streams {
  private readonly byActor = new Map<string, number>();
  private all = 0;

  /**
   * Begins one on an answer whose head is not sent yet.
   * @param mayStill whether who asked may still read
   * @throws {AppError} when there are too many
   */
  begin(actor: Actor, res: Response, contentType: string, mayStill: () => Promise<boolean>): LiveStream {
    const own = this.byActor.get(actor.name) ?? 0;
    if (own >= MOST_EACH || this.all >= MOST_IN_ALL)
      throw new AppError(
        "TOO_MANY_REQUESTS",
        own >= MOST_EACH
          ? `${actor.name} follows ${own} streams already; close one first`
          : "too many streams are followed; try again later",
      );
    this.byActor.set(actor.name, own + 1);
    this.all++;
    res.writeHead(200, { "content-type": contentType, "cache-control": "no-store", "x-accel-buffering": "no" });
    const endings: (() => void)[] = [];
    let isOver = false;
    let drainedMs = performance.now();
    const end = () => {
      if (isOver) return;
      isOver = true;
      clearInterval(timer);
      const left = (this.byActor.get(actor.name) ?? 1) - 1;
      if (left > 0) this.byActor.set(actor.name, left);
      else this.byActor.delete(actor.name);
      this.all--;
      for (const work of endings) work();
      res.end();
    };
    const look = async () => {
      if (!res.writableNeedDrain) drainedMs = performance.now();
      else if (performance.now() - drainedMs > STALLED_MS) {
        end();
        res.destroy();
        return;
      }
      // a store that is away takes no right from anyone
      if (!(await mayStill().catch(() => true))) end();
    };
    const timer = setInterval(() => void look(), CHECK_MS);
    res.on("close", end);
    return {
      get isReady() {
        return !isOver && !res.writableNeedDrain;
      },
      get isOver() {
        return isOver;
      },
      write: (text) => {
        if (!isOver) res.write(text);
      },
      onEnd: (work) => {
        if (isOver) work();
        else endings.push(work);
      },
    };
  }
}
