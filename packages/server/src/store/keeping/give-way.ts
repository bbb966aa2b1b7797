/** So long it gives way in all; after it, half of the time. */
const MOST_MS = 15 * 60_000;

/**
 * Whether work that can wait gives way to an intake that is behind: all share the processors and the database, and what devices send waits for
 * nobody. What was given is won back by the same time without giving: a flood without end takes half of the time, and no more.
 */
export class GiveWay {
  private givenMs = 0;
  private lookedMs: number | null = null;
  private gives = false;

  /**
   * @param isBehind whether records are waiting to be stored
   * @param nowMs of a clock that only goes forward
   * @returns whether to give way until it is asked again
   */
  look(isBehind: boolean, nowMs: number): boolean {
    const passedMs = nowMs - (this.lookedMs ?? nowMs);
    this.lookedMs = nowMs;
    this.givenMs = Math.max(0, this.givenMs + (this.gives ? passedMs : -passedMs));
    this.gives = isBehind && this.givenMs < MOST_MS;
    return this.gives;
  }
}
