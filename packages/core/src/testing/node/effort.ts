/** How much longer than in every run of the tests: `HALVIK_EFFORT=20` (docs/ordeal.md). */
const FACTOR = Number(process.env.HALVIK_EFFORT ?? 1);

/** How often something is tried. @param everyRun how often in every run of the tests */
export const effort = (everyRun: number): number => Math.max(1, Math.round(everyRun * FACTOR));
