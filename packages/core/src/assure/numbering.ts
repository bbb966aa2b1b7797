/** What the numbers of a stream say of it. */
export interface Numbered {
  readonly first: number;
  readonly last: number;
  /** Different numbers, of each run of them. */
  readonly received: number;
  /** Numbers between others that never came; null: they do not follow one another, and say nothing. */
  readonly missing: number | null;
  /** How often its numbers began anew: nobody can say what was missing just then. */
  readonly anew: number;
}

/** Where so many times as many are missing as came, the numbers are no count: some senders make them of the time. */
const NO_COUNT = 100;
/** A number so far below the ones before it is no late one: its sender began anew. */
const FAR_BELOW = 1_000;

/**
 * What a sender's own numbers say of a stream: each message has the next one, and they begin anew at 1 (record ids of Windows logs; `sequenceId`,
 * RFC 5424 section 7.3.1). What comes twice, or a little late, is not missing.
 * @param numbers in the order of time
 * @returns null where there are none
 */
export function numbered(numbers: readonly number[]): Numbered | null {
  if (numbers.length === 0) return null;
  const runs: { seen: Set<number>; least: number; most: number }[] = [];
  for (const n of numbers) {
    let run = runs[runs.length - 1];
    // what is sent again from before the numbers began anew
    if (run !== undefined && n > run.most + 1 && runs[runs.length - 2]?.seen.has(n)) continue;
    if (run === undefined || (n === 1 && !run.seen.has(1)) || n < run.most - FAR_BELOW) {
      run = { seen: new Set(), least: n, most: n };
      runs.push(run);
    }
    run.seen.add(n);
    run.least = Math.min(run.least, n);
    run.most = Math.max(run.most, n);
  }
  const sum = (of: (run: (typeof runs)[number]) => number) => runs.reduce((total, run) => total + of(run), 0);
  const received = sum((run) => run.seen.size);
  const missing = sum((run) => run.most - run.least + 1 - run.seen.size);
  return {
    first: runs[0]!.least,
    last: runs[runs.length - 1]!.most,
    received,
    missing: missing > NO_COUNT * received ? null : missing,
    anew: runs.length - 1,
  };
}
