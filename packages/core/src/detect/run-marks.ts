import type { Episode } from "./event.js";
import type { Run } from "./kinds/run.js";

/** So many events lie between two marks: what is taken again for one that came late, at most, besides those after it. */
export const BETWEEN_MARKS = 256;

interface Mark {
  /** Events it has taken. */
  readonly at: number;
  readonly run: Run;
  readonly closed: readonly Episode[];
}

/**
 * Where a run over events that wait has been, every BETWEEN_MARKS of them: an event that stands before the last ones lets it go on from
 * there, instead of from the first of thousands.
 */
export class RunMarks {
  private marks: Mark[] = [];

  /** @param at events the run has taken */
  note(at: number, run: Run, closed: readonly Episode[]): void {
    if (at - (this.marks.at(-1)?.at ?? 0) < BETWEEN_MARKS) return;
    this.marks.push({ at, run: run.clone(), closed: closed.slice() });
  }

  /** The latest that has taken no more than so many events; those after it are forgotten. */
  backTo(place: number): Mark | undefined {
    while (this.marks.length > 0 && this.marks[this.marks.length - 1]!.at > place) this.marks.pop();
    return this.marks.at(-1);
  }

  /** The first `n` events wait no more, and the first episodes that ended are settled with them. */
  shift(n: number, ended: number): void {
    this.marks = this.marks.flatMap((m) => (m.at > n ? [{ ...m, at: m.at - n, closed: m.closed.slice(ended) }] : []));
  }
}
