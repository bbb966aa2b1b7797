import { FILTER, KEY, type KindForm, number, span } from "../piece.js";

export const countForm: KindForm = {
  parts: (what) => ({ filter: what, count: 10, windowSeconds: 300 }),
  pieces: ({ count }) =>
    count === 1
      ? [number("count"), " record matches ", FILTER, ", each different ", KEY, " within ", span("windowSeconds")]
      : [number("count"), " records within ", span("windowSeconds"), " with the same ", KEY, " match ", FILTER],
  evidence: "records",
  endsItself: null,
};
