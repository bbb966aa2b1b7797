/**
 * What lives for a batch fills the young generation many times a minute. It is collected by one thread: several take a third more of the
 * processors in all, which are short then (docs/figures.md). In MB.
 */
const busy = (young: number, old: number): readonly string[] => [
  "--no-parallel-scavenge",
  `--max-semi-space-size=${young}`,
  `--max-old-space-size=${old}`,
];

const NODE_ARGS: Readonly<Record<string, readonly string[]>> = {
  // its records live as long as a batch: a young generation large enough for several batches saves copying them into the old one
  // (docs/figures.md), and a bound on the old one keeps its memory under 400 MB; below that bound it is gone through seldom
  collector: [...busy(24, 192), "--initial-old-space-size=128"],
  // what a record means to rules lives for a step or for minutes: few of it should be copied on the way. With half of this the engine takes a
  // fifth more of a processor in a flood, with half more it takes no less; at rest so much is not filled (docs/figures.md)
  engine: [...busy(128, 1024), "--initial-old-space-size=192"],
  // rows are read, turned into terms and forgotten
  keeper: busy(64, 768),
};

/** Node.js options of a role. */
export const roleNodeArgs = (role: string): readonly string[] => NODE_ARGS[role] ?? ["--max-old-space-size=1024"];
