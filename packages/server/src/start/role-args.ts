/**
 * Node.js options of a role. The collector's records live as long as a batch: a young generation large enough for several
 * batches saves copying them into the old one (docs/figures.md), and a bound on the old one keeps its memory under 400 MB.
 */
export const roleNodeArgs = (role: string): readonly string[] =>
  role === "collector" ? ["--max-semi-space-size=24", "--max-old-space-size=256"] : ["--max-old-space-size=1024"];
