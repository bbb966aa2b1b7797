import type { Category, Outcome } from "../../model/record/index.js";

/**
 * A line that a widely used open-source daemon writes: its values where they stand (`decode/lines`), what it means, and a sentence of our own that is made on
 * reading. Formats are common practice, no source; the words of the sentences are ours.
 */
export interface DaemonLine {
  readonly apps: readonly string[];
  readonly template: string;
  readonly category: Category;
  readonly outcome: Outcome;
  /** With `{name}` for a value and `{sender}`; "": the line says it best itself. */
  readonly says: string;
}

/** Rows of some programs with a meaning in common. */
export const rows =
  (apps: readonly string[], category: Category) =>
  (template: string, outcome: Outcome, says: string): DaemonLine => ({ apps, template, category, outcome, says });
