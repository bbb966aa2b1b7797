import type { Figure, Grouping, MeasureAsked } from "../query/measure/index.js";

/** What a value is counted in; bytes by the second are told in bits. */
export type Unit = "records" | "bytes" | "packets" | "bits/s" | "records/s" | "packets/s" | "/s" | "%" | "values" | "";

export function unitOf({ figure, perSecond }: Pick<MeasureAsked, "figure" | "perSecond">): Unit {
  switch (figure.of) {
    case "records":
      return perSecond ? "records/s" : "records";
    case "share":
      return "%";
    case "distinct":
      return "values";
    default: {
      const unit = "field" in figure.number ? figure.number.field : "";
      if (!perSecond || figure.of !== "sum") return unit;
      return unit === "bytes" ? "bits/s" : unit === "packets" ? "packets/s" : "/s";
    }
  }
}

const named = (of: { readonly field: string } | { readonly data: string }): string =>
  "field" in of ? of.field : of.data;

const sayFigure = (figure: Figure): string => {
  switch (figure.of) {
    case "records":
      return "records";
    case "distinct":
      return `different values of ${named(figure.values)}`;
    case "share":
      return `share of records with ${figure.filter}`;
    case "sum":
      return named(figure.number);
    case "p50":
    case "p95":
    case "p99":
      return `${figure.of} of ${named(figure.number)}`;
    default:
      return `${figure.of} ${named(figure.number)}`;
  }
};

/** The heading of a column of groups. */
export function sayGrouping(by: Grouping): string {
  if ("clock" in by) return by.clock;
  return "sender" in by ? by.sender : named(by);
}

/** In words: `bytes by src and dst`, `records, by the second`. */
export function sayMeasure({ figure, by, perSecond }: Pick<MeasureAsked, "figure" | "by" | "perSecond">): string {
  const what = `${sayFigure(figure)}${perSecond ? ", by the second" : ""}`;
  return by.length === 0 ? what : `${what} by ${by.map(sayGrouping).join(" and ")}`;
}
