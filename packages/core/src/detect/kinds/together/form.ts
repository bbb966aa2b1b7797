import { type Draft, filter, KEY, type KindForm, type Piece, SOMETHING, span } from "../piece.js";

export const togetherForm: KindForm = {
  parts: (what) => ({ parts: [{ filter: what }, { filter: "severity at least error" }], windowSeconds: 300 }),
  pieces: (rule) => [
    "within ",
    span("windowSeconds"),
    " with the same ",
    KEY,
    ", in any order, these come: ",
    ...parts(rule),
  ],
  evidence: "records",
  endsItself: null,
};

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
