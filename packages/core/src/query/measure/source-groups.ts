/** What a source of Halvik's own can be told apart by, and what its entries carry that can be reckoned with. */
export interface OwnSourceGroups {
  /** What its entries are counted in. */
  readonly unit: string;
  readonly by: readonly string[];
  /** By name, what each is counted in. */
  readonly numbers: Readonly<Record<string, string>>;
  /** It tells of this moment, whatever the window. */
  readonly isOfNow?: true;
  /** What it can tell of its numbers; without it everything. */
  readonly figures?: readonly string[];
  /** By which of its names it can be narrowed; without it by all. */
  readonly only?: readonly string[];
  /** Why it cannot be told apart by these together; null: it can. */
  readonly refuses?: (by: readonly string[]) => string | null;
}
