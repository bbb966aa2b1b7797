import { choice, type Draft, FILTER, KEY, type KindForm, LINE, LOOK, number, type Piece, span } from "../piece.js";

export const departureForm: KindForm = {
  parts: (what) => ({ filter: what, measure: { of: "records" }, everySeconds: 600, judgement: LINE }),
  pieces: (rule) => [
    "of each ",
    KEY,
    ", ",
    choice(["records", "sum", "value", "spacing"], "measure", "of"),
    ...(rule.measure?.of === "sum" || rule.measure?.of === "value"
      ? [" of ", { at: ["measure", "field"], as: "field" } as const]
      : []),
    " in ",
    span("everySeconds"),
    ...(mayLookOften(rule) ? [", looked at every ", LOOK, ","] : []),
    " departs by ",
    choice(["line", "baseline", "ewma", "cusum"], "judgement", "by"),
    ...judgement(rule),
    ", of what matches ",
    FILTER,
  ],
  evidence: "measure",
  endsItself: "when the value is ordinary again",
};

/** What was written before the judgement became another one is shown too: it has to be taken out. */
const mayLookOften = ({ measure, judgement, lookEverySeconds }: Draft): boolean =>
  lookEverySeconds !== undefined || (judgement?.by === "line" && (measure?.of === "records" || measure?.of === "sum"));

/** What each way to judge begins with. */
export const JUDGEMENTS: Readonly<Record<string, object>> = {
  line: LINE,
  baseline: { by: "baseline", side: "over", z: 3.5, least: 0 },
  ewma: { by: "ewma", lambda: 0.3, k: 3, training: 20 },
  cusum: { by: "cusum", allowance: 0.5, limit: 5, training: 20 },
};

function judgement(rule: Draft): readonly Piece[] {
  switch (rule.judgement?.by) {
    case "line":
      return [
        " ",
        choice(["over", "under"], "judgement", "side"),
        " ",
        number("judgement", "raiseAt"),
        ", until back at ",
        number("judgement", "clearAt"),
      ];
    case "baseline":
      return [
        " ",
        choice(["over", "under", "both"], "judgement", "side"),
        " a score of ",
        number("judgement", "z"),
        " and by at least ",
        number("judgement", "least"),
      ];
    case "ewma":
      return [
        " with λ ",
        number("judgement", "lambda"),
        " beyond ",
        number("judgement", "k"),
        " deviations of the first ",
        number("judgement", "training"),
      ];
    case "cusum":
      return [" beyond ", number("judgement", "limit"), " deviations of the first ", number("judgement", "training")];
    default:
      return [];
  }
}
