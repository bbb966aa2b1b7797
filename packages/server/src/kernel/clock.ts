/** A difference between the wall clock and what it was expected to say that is a setting of the clock, not its running. */
const JUMP_MS = 500;

interface Reading {
  readonly wallMs: number;
  /** Of a clock nobody sets, with a fraction. */
  readonly steadyMs: number;
}

/**
 * Epoch µs by the wall clock, steady between its settings: µs come from the steady clock, and where the wall clock was set, what it says
 * now counts from then on. Whoever asks learns of each jump.
 */
export class WallClock {
  /** Wall minus steady, in ms. */
  private offsetMs: number;
  private readonly listeners = new Set<(jumpMs: number) => void>();
  /** Since when the clock was not set: what was noted before cannot be held against now. */
  steadySinceUs = Number.NEGATIVE_INFINITY;

  constructor(private readonly read: () => Reading) {
    const { wallMs, steadyMs } = read();
    this.offsetMs = wallMs - steadyMs;
  }

  nowUs(): number {
    const { wallMs, steadyMs } = this.read();
    const jumpMs = wallMs - (steadyMs + this.offsetMs);
    if (Math.abs(jumpMs) > JUMP_MS) {
      this.offsetMs = wallMs - steadyMs;
      this.steadySinceUs = Math.floor(wallMs * 1000);
      for (const listener of this.listeners) listener(jumpMs);
    }
    return Math.floor((steadyMs + this.offsetMs) * 1000);
  }

  /** @param listener told by how much the clock was set, forward or (negative) back, in ms */
  onJump(listener: (jumpMs: number) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }
}

/** The one clock of a process. */
export const clock = new WallClock(() => ({ wallMs: Date.now(), steadyMs: performance.now() }));

/** The one place where the server reads the clock as epoch µs. */
export const nowUs = (): number => clock.nowUs();

/** How long ago something was noted; a setting of the clock since then counts as no time. */
export const agoUs = (notedUs: number, now = nowUs()): number => now - Math.max(notedUs, clock.steadySinceUs);
