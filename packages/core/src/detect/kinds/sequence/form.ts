import { type Draft, filter, KEY, type KindForm, type Piece, SOMETHING, span } from "../piece.js";

export const sequenceForm: KindForm = {
  parts: (what) => ({ steps: [{ filter: what }, { filter: "severity at least error" }], windowSeconds: 300 }),
  pieces: (rule) => [
    "within ",
    span("windowSeconds"),
    " with the same ",
    KEY,
    ...along(rule),
    ", in this order: ",
    ...steps(rule),
  ],
  evidence: "records",
  endsItself: null,
};

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

const along = (rule: Draft): Piece[] =>
  rule.along === undefined ? [] : [" and along the same ", { at: ["along"], as: "field" }];
