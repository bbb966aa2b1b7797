import {
  type AnyMeasure,
  type Figure,
  type Grouping,
  isOwn,
  type MeasureAsked,
  type OwnMeasure,
  ownSource,
} from "../query/measure/index.js";

/** What a value is counted in; bytes by the second are told in bits. Others are told by their digits. */
export type Unit =
  | "records"
  | "bytes"
  | "packets"
  | "bits/s"
  | "records/s"
  | "packets/s"
  | "/s"
  | "%"
  | "values"
  | "s"
  | ""
  | (string & {});

/** What the values of a measure are counted in: as it says itself, or else as follows from what it tells. */
export const unitOf = (asked: AnyMeasure): Unit => asked.unit ?? (isOwn(asked) ? ownUnit(asked) : unitOfFigure(asked));

function ownUnit({ source, figure, perSecond }: OwnMeasure): Unit {
  if (figure.of === "share") return "%";
  const told = ownSource(source);
  const unit = figure.of === "count" ? told.unit : told.numbers[figure.number]!;
  return perSecond ? bySecond(unit) : unit;
}

/** Bytes by the second are told in bits. */
const bySecond = (unit: string): Unit => (unit === "bytes" ? "bits/s" : `${unit}/s`);

export function unitOfFigure({ figure, perSecond }: Pick<MeasureAsked, "figure" | "perSecond">): Unit {
  switch (figure.of) {
    case "records":
      return perSecond ? "records/s" : "records";
    case "share":
      return "%";
    case "distinct":
    case "first seen":
      return "values";
    case "ratio":
      return "";
    default: {
      const unit = "field" in figure.number ? figure.number.field : "";
      return perSecond && figure.of === "sum" ? bySecond(unit) : unit;
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
    case "first seen":
      return `values of ${named(figure.values)} seen for the first time`;
    case "ratio":
      return `records with ${figure.filter} for each with ${figure.to}`;
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

/** In words: `bytes by src and dst`, `records, by the second`, `incidents by rule`. */
export function sayMeasure(asked: AnyMeasure): string {
  const figure = isOwn(asked) ? sayOwnFigure(asked) : sayFigure(asked.figure);
  const what = asked.perSecond ? `${figure}, by the second` : figure;
  const by = headingsOf(asked);
  return by.length === 0 ? what : `${what} by ${by.join(" and ")}`;
}

/** The headings of the columns of groups. */
export const headingsOf = (asked: AnyMeasure): string[] => (isOwn(asked) ? [...asked.by] : asked.by.map(sayGrouping));

function sayOwnFigure({ source, figure }: OwnMeasure): string {
  if (figure.of === "count") return ownSource(source).unit;
  if (figure.of === "share") return `share of ${source} with ${sayOnly(figure.only)}`;
  // what tells sums alone need not say so
  return ownSource(source).figures === undefined
    ? `${figure.of} of ${figure.number} of ${source}`
    : `${figure.number} of ${source}`;
}

/** Which entries of an own source, in words; empty: all of them. */
export const sayOnly = (only: OwnMeasure["only"]): string =>
  only.map(({ by, is }) => (is.length === 0 ? by : `${by} ${is.join(" or ")}`)).join(", ");

/** The heading of a column of values: what they are counted in, where that is not written with each. */
export const sayUnit = (unit: Unit): string => (unit === "s" ? "time" : unit || "value");
