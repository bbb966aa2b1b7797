import { FILTER, KEY, type KindForm, span } from "../piece.js";

export const silenceForm: KindForm = {
  parts: (what) => ({ filter: what, afterSeconds: 900 }),
  pieces: () => [
    "nothing comes with the same ",
    KEY,
    " for ",
    span("afterSeconds"),
    " after a record that matched ",
    FILTER,
  ],
  evidence: "absence",
  endsItself: "when it sends again",
};
