import { choice, FILTER, filter, KEY, type KindForm, number, span } from "../piece.js";

export const ratioForm: KindForm = {
  parts: (what) => ({
    filter: what,
    of: "kind is syslog",
    everySeconds: 600,
    least: 20,
    side: "over",
    raiseAt: 0.5,
    clearAt: 0.3,
  }),
  pieces: () => [
    "of at least ",
    number("least"),
    " records of each ",
    KEY,
    " within ",
    span("everySeconds"),
    " that match ",
    filter("of"),
    ", ",
    choice(["over", "under"], "side"),
    " the part ",
    number("raiseAt"),
    " matches ",
    FILTER,
    " (until back at ",
    number("clearAt"),
    ")",
  ],
  evidence: "measure",
  endsItself: "when the value is ordinary again",
};
