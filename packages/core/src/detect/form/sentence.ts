import { SEVERITIES } from "../../model/record/index.js";
import { choice, type Draft, filter, number, type Piece, SOMETHING, span } from "../kinds/piece.js";
import { FORMS, isKind, KIND_NAMES, RULE_KINDS } from "./forms.js";

/** The whole sentence: when it raises, and when that is over. */
export const sentence = (rule: Draft): readonly Piece[] => [
  "Raise ",
  choice(SEVERITIES, "severity"),
  " by ",
  { at: ["kind"], as: "choice", of: RULE_KINDS, names: KIND_NAMES },
  ": when ",
  ...(isKind(rule.kind) ? FORMS[rule.kind].pieces(rule) : ["… (choose a kind)"]),
  ". It clears by ",
  choice(["quiet", "record", "condition", "hand"], "clear", "by"),
  ...clearing(rule),
  ".",
];

/** How it behaves besides: holds, reminders, worse severities, times in which it is expected. */
export function behaviour(rule: Draft): readonly Piece[] {
  const evidence = isKind(rule.kind) ? FORMS[rule.kind].evidence : "records";
  return [
    "It must go on for ",
    { at: ["holdSeconds"], as: "span", empty: "0 s" },
    " before it is raised; while it is not acknowledged, a reminder is sent after ",
    { at: ["remindSeconds"], as: "span", empty: "never" },
    ". ",
    ...(rule.worse ?? []).flatMap((worse, i): Piece[] => [
      "It becomes ",
      choice(SEVERITIES, "worse", i, "severity"),
      ...(worse.count === undefined ? [] : [" from ", number("worse", i, "count"), " records on"]),
      ...(worse.value === undefined ? [] : [" when as far out as ", number("worse", i, "value")]),
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
    ...(evidence === "measure"
      ? [
          {
            do: "append",
            at: ["worse"],
            label: "worse from a value on",
            item: { severity: "critical", value: 100 },
          } as const,
        ]
      : evidence === "absence"
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
