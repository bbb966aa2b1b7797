import { SEVERITIES } from "@halvik/core/model/record";

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
  | { readonly at: Path; readonly as: "choice"; readonly of: readonly string[] };

/** A rule while it is written: nothing in it is certain. */
export interface Draft {
  readonly kind?: unknown;
  readonly steps?: readonly { readonly absent?: boolean; readonly count?: number }[];
  readonly parts?: readonly unknown[];
  readonly measure?: { readonly of?: string };
  readonly judgement?: { readonly by?: string };
  readonly clear?: { readonly by?: string };
  readonly worse?: readonly { readonly count?: number; readonly filter?: string; readonly value?: number }[];
  readonly shelve?: readonly unknown[];
}

export const KINDS = ["count", "distinct", "sequence", "together", "silence", "first", "departure", "ratio"] as const;
export type Kind = (typeof KINDS)[number];

const n = (...at: Path): Piece => ({ at, as: "number", empty: "" });
const span = (...at: Path): Piece => ({ at, as: "span", empty: "" });
const filter = (...at: Path): Piece => ({ at, as: "filter" });
const choice = (of: readonly string[], ...at: Path): Piece => ({ at, as: "choice", of });
const KEY: Piece = { at: ["key"], as: "fields" };
const FILTER = filter("filter");
/** What a new step or part begins with. */
const SOMETHING = { filter: "severity at least error" };

/** The whole sentence: when it raises, and when that is over. */
export const sentence = (rule: Draft): readonly Piece[] => [
  "Raise ",
  choice(SEVERITIES, "severity"),
  " by ",
  choice(KINDS, "kind"),
  ": when ",
  ...condition(rule),
  ". It clears by ",
  choice(["quiet", "record", "condition", "hand"], "clear", "by"),
  ...clearing(rule),
  ".",
];

/** How it behaves besides: holds, reminders, worse severities, times in which it is expected. */
export const behaviour = (rule: Draft): readonly Piece[] => [
  "It must go on for ",
  { at: ["holdSeconds"], as: "span", empty: "0 s" },
  " before it is raised; while nobody has seen it, it is told again after ",
  { at: ["remindSeconds"], as: "span", empty: "never" },
  ". ",
  ...(rule.worse ?? []).flatMap((worse, i): Piece[] => [
    "It becomes ",
    choice(SEVERITIES, "worse", i, "severity"),
    ...(worse.count === undefined ? [] : [" from ", n("worse", i, "count"), " records on"]),
    ...(worse.value === undefined ? [] : [" when as far out as ", n("worse", i, "value")]),
    ...(worse.filter === undefined ? [] : [" once one matches ", filter("worse", i, "filter")]),
    { do: "remove", at: ["worse", i], label: "not worse" },
    ". ",
  ]),
  ...(rule.shelve ?? []).flatMap((_, i): Piece[] => [
    "It is expected ",
    { at: ["shelve", i, "days"], as: "days" },
    " from ",
    { at: ["shelve", i, "from"], as: "time" },
    " to ",
    { at: ["shelve", i, "to"], as: "time" },
    " because of ",
    { at: ["shelve", i, "why"], as: "text" },
    { do: "remove", at: ["shelve", i], label: "not expected" },
    ". ",
  ]),
  { do: "append", at: ["worse"], label: "worse from a number on", item: { severity: "critical", count: 100 } },
  ...(rule.kind === "departure" || rule.kind === "ratio"
    ? [
        {
          do: "append",
          at: ["worse"],
          label: "worse from a value on",
          item: { severity: "critical", value: 100 },
        } as const,
      ]
    : rule.kind === "silence"
      ? []
      : [
          {
            do: "append",
            at: ["worse"],
            label: "worse by a filter",
            item: { severity: "critical", ...SOMETHING },
          } as const,
        ]),
  {
    do: "append",
    at: ["shelve"],
    label: "a time in which it is expected",
    item: { days: [], from: "22:00", to: "06:00", why: "maintenance" },
  },
];

/** The condition, by kind. */
function condition(rule: Draft): readonly Piece[] {
  switch (rule.kind) {
    case "count":
      return [n("count"), " records within ", span("windowSeconds"), " with the same ", KEY, " match ", FILTER];
    case "distinct":
      return [
        "within ",
        span("windowSeconds"),
        " records with the same ",
        KEY,
        " name ",
        n("count"),
        " different values of ",
        { at: ["of"], as: "field" },
        " and match ",
        FILTER,
      ];
    case "sequence":
      return ["within ", span("windowSeconds"), " with the same ", KEY, ", in this order: ", ...steps(rule)];
    case "together":
      return ["within ", span("windowSeconds"), " with the same ", KEY, ", in any order, these come: ", ...parts(rule)];
    case "silence":
      return [
        "nothing comes with the same ",
        KEY,
        " for ",
        span("afterSeconds"),
        " after a record that matched ",
        FILTER,
      ];
    case "first":
      return [
        "a ",
        KEY,
        " comes that was not seen for ",
        n("unseenDays"),
        " d (after ",
        n("learningDays"),
        " d of learning) and matches ",
        FILTER,
      ];
    case "departure":
      return [
        "of each ",
        KEY,
        ", ",
        choice(["records", "sum", "value", "spacing"], "measure", "of"),
        ...(rule.measure?.of === "sum" || rule.measure?.of === "value"
          ? [" of ", { at: ["measure", "field"], as: "field" } as const]
          : []),
        " in ",
        span("everySeconds"),
        " departs by ",
        choice(["line", "baseline", "ewma", "cusum"], "judgement", "by"),
        ...judgement(rule),
        ", of what matches ",
        FILTER,
      ];
    case "ratio":
      return [
        "of at least ",
        n("least"),
        " records of each ",
        KEY,
        " within ",
        span("everySeconds"),
        " that match ",
        filter("of"),
        ", ",
        choice(["over", "under"], "side"),
        " the part ",
        n("raiseAt"),
        " matches ",
        FILTER,
        " (until back at ",
        n("clearAt"),
        ")",
      ];
    default:
      return ["… (choose a kind)"];
  }
}

function steps(rule: Draft): Piece[] {
  const all = rule.steps ?? [];
  return [
    ...all.flatMap((step, i): Piece[] => [
      `${i + 1}. `,
      ...(i > 0 ? [{ at: ["steps", i, "absent"], as: "yes" } as const] : []),
      ...(step.absent ? [] : [{ at: ["steps", i, "count"], as: "number", empty: "1" } as const, " × "]),
      filter("steps", i, "filter"),
      ...(i > 0 ? [" within ", { at: ["steps", i, "withinSeconds"], as: "span", empty: "all" } as const] : []),
      ...(all.length > 2 ? [{ do: "remove", at: ["steps", i], label: `without step ${i + 1}` } as const] : []),
      "; ",
    ]),
    { do: "append", at: ["steps"], label: "one more step", item: SOMETHING },
  ];
}

function parts(rule: Draft): Piece[] {
  const all = rule.parts ?? [];
  return [
    ...all.flatMap((_, i): Piece[] => [
      filter("parts", i, "filter"),
      ...(all.length > 2 ? [{ do: "remove", at: ["parts", i], label: `without part ${i + 1}` } as const] : []),
      "; ",
    ]),
    { do: "append", at: ["parts"], label: "one more part", item: SOMETHING },
  ];
}

function judgement(rule: Draft): readonly Piece[] {
  switch (rule.judgement?.by) {
    case "line":
      return [
        " ",
        choice(["over", "under"], "judgement", "side"),
        " ",
        n("judgement", "raiseAt"),
        ", until back at ",
        n("judgement", "clearAt"),
      ];
    case "baseline":
      return [
        " ",
        choice(["over", "under", "both"], "judgement", "side"),
        " a score of ",
        n("judgement", "z"),
        " and by at least ",
        n("judgement", "least"),
      ];
    case "ewma":
      return [
        " with λ ",
        n("judgement", "lambda"),
        " beyond ",
        n("judgement", "k"),
        " deviations of the first ",
        n("judgement", "training"),
      ];
    case "cusum":
      return [" beyond ", n("judgement", "limit"), " deviations of the first ", n("judgement", "training")];
    default:
      return [];
  }
}

function clearing(rule: Draft): readonly Piece[] {
  switch (rule.clear?.by) {
    case "quiet":
      return [" of ", span("clear", "seconds")];
    case "record":
      return [" that matches ", filter("clear", "filter")];
    default:
      return [];
  }
}
