/**
 * What lives for a batch fills the young generation many times a minute. It is collected by one thread: several take a third more of the
 * processors in all, which are short then (docs/figures.md). The old one is not gone through before it has reached a size of use.
 */
const busy = (young: number, oldFrom: number, oldMost: number): readonly string[] => [
  "--no-parallel-scavenge",
  `--max-semi-space-size=${young}`,
  `--initial-old-space-size=${oldFrom}`,
  `--max-old-space-size=${oldMost}`,
];

/** Sizes in MB. */
const NODE_ARGS: Readonly<Record<string, readonly string[]>> = {
  // its records live as long as a batch: a young generation large enough for several batches saves copying them into the old one
  // (docs/figures.md), and a bound on the old one keeps its memory under 400 MB
  collector: busy(24, 128, 192),
  // what a record means to rules lives for a step or for minutes: few of it should be copied on the way
  engine: busy(64, 384, 1024),
  // rows are read, turned into terms and forgotten
  keeper: busy(64, 256, 768),
};

/** Node.js options of a role. */
export const roleNodeArgs = (role: string): readonly string[] => NODE_ARGS[role] ?? ["--max-old-space-size=1024"];
