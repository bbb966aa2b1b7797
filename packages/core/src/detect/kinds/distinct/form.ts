import { FILTER, KEY, type KindForm, number, span } from "../piece.js";

export const distinctForm: KindForm = {
  parts: (what) => ({ filter: what, of: "src", count: 5, windowSeconds: 300 }),
  pieces: () => [
    "within ",
    span("windowSeconds"),
    " records with the same ",
    KEY,
    " name ",
    number("count"),
    " different values of ",
    { at: ["of"], as: "field" },
    " and match ",
    FILTER,
  ],
  evidence: "records",
  endsItself: null,
};
