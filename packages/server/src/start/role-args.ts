const NODE_ARGS: Readonly<Record<string, readonly string[]>> = {
  // its records live as long as a batch: a young generation large enough for several batches saves copying them into the old one
  // (docs/figures.md), and a bound on the old one keeps its memory under 400 MB
  collector: ["--single-threaded-gc", "--max-semi-space-size=24", "--max-old-space-size=192"],
  // what a record means to rules lives for a step or for minutes: few of it should be copied on the way
  engine: ["--single-threaded-gc", "--max-semi-space-size=64", "--max-old-space-size=1024"],
  // rows are read, turned into terms and forgotten
  keeper: ["--single-threaded-gc", "--max-semi-space-size=64", "--max-old-space-size=768"],
};

/** Node.js options of a role. */
export const roleNodeArgs = (role: string): readonly string[] => NODE_ARGS[role] ?? ["--max-old-space-size=1024"];
