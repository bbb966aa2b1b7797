import { FILTER, KEY, type KindForm, number } from "../piece.js";

export const firstForm: KindForm = {
  parts: (what) => ({ filter: what, unseenDays: 30, learningDays: 7 }),
  pieces: () => [
    "a ",
    KEY,
    " comes that was not seen for ",
    number("unseenDays"),
    " d (after ",
    number("learningDays"),
    " d of learning) and matches ",
    FILTER,
  ],
  evidence: "records",
  endsItself: null,
};
