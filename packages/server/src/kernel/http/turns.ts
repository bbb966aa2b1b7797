import { AppError } from "./errors.js";

/** Requests of one actor that are worked on at once; further ones wait their turn. */
const AT_ONCE = 8;
const MOST_WAITING = 200;

/** Lets nobody's requests take more than their share of the database and of time. */
export class Turns {
  private readonly running = new Map<string, { working: number; readonly waiting: (() => void)[] }>();

  async take<T>(actor: string, work: () => Promise<T>): Promise<T> {
    const own = this.running.get(actor) ?? { working: 0, waiting: [] };
    this.running.set(actor, own);
    if (own.working >= AT_ONCE) {
      if (own.waiting.length >= MOST_WAITING)
        throw new AppError("TOO_MANY_REQUESTS", `${own.waiting.length} requests of ${actor} wait already`);
      await new Promise<void>((turn) => own.waiting.push(turn));
    } else own.working++;
    try {
      return await work();
    } finally {
      const next = own.waiting.shift();
      // the turn is handed on
      if (next) next();
      else if (--own.working === 0) this.running.delete(actor);
    }
  }
}
