import type { OwnObservation } from "@halvik/core/normalise";
import { failureOf } from "../../kernel/db/failure.js";

/** What came of a turn: whether there is more to do, and what is to be told. */
export interface Turn {
  readonly more: boolean;
  readonly told: OwnObservation[];
}

/** After a failure it is tried again after so long: other work must not wait for what cannot be done. */
const AGAIN_MS = 60_000;
/** It rests so many times as long as its turn took: what costs much is done in greater parts, up to so long apart. */
const REST_TIMES = 5;
const MOST_REST_MS = 60_000;
const IDLE: Turn = { more: false, told: [] };

/** Work of the keeper that has its turns between other work, and whose failure holds up nothing else: it is told once, and tried again. */
export class GuardedTurn {
  private notBeforeMs = Number.NEGATIVE_INFINITY;
  private isFailing = false;

  /** @param restMs so long it rests at least when it has nothing left to do */
  constructor(
    private readonly restMs: number,
    private readonly tell: (reason: string) => OwnObservation,
  ) {}

  /**
   * @param work returns whether there is more to do
   * @param giveUp forgets what was begun and not written
   * @throws when the database cannot be used: that is everybody's trouble
   */
  async take(work: () => Promise<boolean>, giveUp: () => void = () => undefined): Promise<Turn> {
    const startedMs = performance.now();
    if (startedMs < this.notBeforeMs) return IDLE;
    try {
      const more = await work();
      const tookMs = performance.now() - startedMs;
      if (!more)
        this.notBeforeMs = startedMs + Math.max(this.restMs, Math.min(MOST_REST_MS, tookMs * (1 + REST_TIMES)));
      this.isFailing = false;
      return { more, told: [] };
    } catch (e) {
      const failure = failureOf(e);
      if (failure === "outage" || failure === "again") throw e;
      giveUp();
      this.notBeforeMs = performance.now() + AGAIN_MS;
      const told = this.isFailing ? [] : [this.tell(e instanceof Error ? e.message : String(e))];
      this.isFailing = true;
      return { more: false, told };
    }
  }
}
