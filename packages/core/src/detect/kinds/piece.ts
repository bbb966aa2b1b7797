/** Where a value stands in a rule. */
export type Path = readonly (string | number)[];

/** What is done to a rule in one of its places. */
export type Act =
  | { readonly do: "remove"; readonly at: Path; readonly label: string }
  | { readonly do: "append"; readonly at: Path; readonly label: string; readonly item: object };

/** A piece of the sentence: words, a value of the rule at a place with how it is picked, or something that can be done there. */
export type Piece =
  | string
  | Act
  /** `empty`: what it means when no number is given. */
  | { readonly at: Path; readonly as: "number"; readonly empty: string }
  /** Seconds, written with units. */
  | { readonly at: Path; readonly as: "span"; readonly empty: string }
  | { readonly at: Path; readonly as: "filter" | "fields" | "field" | "text" | "time" | "days" | "yes" }
  | {
      readonly at: Path;
      readonly as: "choice";
      readonly of: readonly string[];
      /** What they are called, where that is not what they are. */
      readonly names?: Readonly<Record<string, string>>;
    };

/** A rule while it is written: nothing in it is certain. */
export interface Draft {
  readonly kind?: unknown;
  readonly name?: unknown;
  readonly key?: unknown;
  readonly count?: unknown;
  readonly steps?: readonly { readonly absent?: boolean; readonly count?: number }[];
  readonly along?: string;
  readonly parts?: readonly unknown[];
  readonly measure?: { readonly of?: string };
  readonly lookEverySeconds?: unknown;
  readonly judgement?: { readonly by?: string };
  readonly clear?: { readonly by?: string };
  readonly worse?: readonly { readonly count?: number; readonly filter?: string; readonly value?: number }[];
  readonly shelve?: readonly unknown[];
}

/** What the editor knows of a kind of rule. */
export interface KindForm {
  /** What a rule of it needs besides what all have; `what` is what the rule looked for before. */
  readonly parts: (what: string) => Readonly<Record<string, unknown>>;
  /** Its condition, after “when …”. */
  readonly pieces: (draft: Draft) => readonly Piece[];
  /** What its evidence is: records that match, a measure of many, or that nothing came. */
  readonly evidence: "records" | "measure" | "absence";
  /** How it is said that its findings end by its own condition; null: they cannot. */
  readonly endsItself: string | null;
}

export const number = (...at: Path): Piece => ({ at, as: "number", empty: "" });
export const span = (...at: Path): Piece => ({ at, as: "span", empty: "" });
/** How often the last stretch is looked at, in rules that measure one. */
export const LOOK: Piece = { at: ["lookEverySeconds"], as: "span", empty: "time it ends" };
export const filter = (...at: Path): Piece => ({ at, as: "filter" });
export const choice = (of: readonly string[], ...at: Path): Piece => ({ at, as: "choice", of });
export const KEY: Piece = { at: ["key"], as: "fields" };
export const FILTER = filter("filter");
/** What a new step or part begins with. */
export const SOMETHING = { filter: "severity at least error" };
/** What is judged by a line begins with this one. */
export const LINE = { by: "line", side: "over", raiseAt: 100, clearAt: 80 };
