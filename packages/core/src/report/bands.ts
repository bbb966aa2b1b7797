type Value = number | string | null;

/** What a profile was measured as. */
export interface Profiled {
  readonly rows: readonly {
    readonly labels: readonly string[];
    readonly steps: readonly Value[];
    readonly exact: boolean;
  }[];
  readonly total: { readonly steps: readonly Value[]; readonly exact: boolean };
  readonly addsUp: boolean;
  /** Steps that are not known. */
  readonly gaps: readonly number[];
}

export interface Band {
  readonly name: string;
  /** Otherwise some of it is an estimate, and it is hatched. */
  readonly exact: boolean;
  /** Nothing counted is nothing; null: it is not known, or of figures that do not add up there is none. */
  readonly steps: readonly (number | null)[];
}

/** The bands of a profile, the greatest first; what is left of the whole as the last one, where parts add up to it and something is left. */
export function bandsOf({ rows, total, addsUp, gaps }: Profiled): Band[] {
  const number = (v: Value | undefined, i: number) =>
    v == null ? (addsUp && !gaps.includes(i) ? 0 : null) : Number(v);
  const steps = total.steps.map(number);
  const bands = rows.map((r) => ({
    name: r.labels.join(", "),
    exact: r.exact,
    steps: steps.map((_, i) => number(r.steps[i], i)),
  }));
  if (!addsUp) return bands;
  const left = steps.map((all, i) => (all ?? 0) - bands.reduce((sum, b) => sum + (b.steps[i] ?? 0), 0));
  // records with several values count under each: what is left is then less than nothing
  const others = left.map((n, i) => (gaps.includes(i) ? null : Math.max(0, n)));
  return others.some((n) => n !== null && n > 0)
    ? [...bands, { name: "others", exact: total.exact, steps: others }]
    : bands;
}
