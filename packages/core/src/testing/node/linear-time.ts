const TRIES = 5;
const LARGER = 32;
/** What takes less is taken for this much, in ms: below it a clock says nothing. */
const SHORTEST_MS = 0.02;

/** The shortest time that some work took in a few tries, in ms: what a machine that stands still for a moment adds is in none of the best. */
function quickest(work: () => unknown): number {
  let best = Number.POSITIVE_INFINITY;
  for (let i = 0; i < TRIES; i++) {
    const began = performance.now();
    work();
    best = Math.min(best, performance.now() - began);
  }
  return Math.max(best, SHORTEST_MS);
}

/**
 * How many times longer an input of 32 times the size takes, per unit of its size: about 1 where the time is linear in the size, 32 where it is quadratic.
 * The machine's own speed is in neither.
 * @param size the smaller size
 * @param work what is done with an input of a size
 */
export function timeForItsSize(size: number, work: (size: number) => unknown): number {
  const small = quickest(() => work(size));
  return quickest(() => work(size * LARGER)) / (small * LARGER);
}

/** What is still taken for linear: garbage, caches and a busy machine make the larger input dearer than its share, by less than this. */
export const LINEAR_AT_MOST = 10;
