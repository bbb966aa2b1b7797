import * as z from "zod";
import { MeasureAsked, MOST_GROUPINGS, OF_NUMBERS, ORDERS, UnitOf } from "./asked.js";
import type { OwnSourceGroups } from "./source-groups.js";
import { TRAFFIC_SOURCE } from "./traffic-source.js";

const CLOCK = ["hour of day", "day of week"] as const;

/** What is measured beside records: what Halvik writes down of itself and of those who work with it, and what it has summed of traffic. */
export const OWN_SOURCES = {
  /** By the moment each was raised; those that were merged into others, or stand behind one, are left out. */
  incidents: {
    unit: "incidents",
    by: ["severity", "rule", "state", "closed as", "owner", "acknowledged by", ...CLOCK],
    numbers: { "time to acknowledge": "s", "time to end": "s", records: "records" },
  },
  findings: {
    unit: "findings",
    by: ["rule", "severity", ...CLOCK],
    numbers: { "time to clear": "s", records: "records" },
  },
  /** Messages by the moment each was made; what went together is one. */
  notifications: {
    unit: "messages",
    by: ["notification", "way", "person", "state", "tells", ...CLOCK],
    numbers: { "time to deliver": "s", attempts: "" },
  },
  /** What people and programs did. */
  audit: { unit: "acts", by: ["who", "what", ...CLOCK], numbers: {} },
  "arrival rules": {
    unit: "rules an hour",
    by: ["rule", ...CLOCK],
    numbers: { met: "records", dropped: "records", "bytes dropped": "bytes" },
  },
  /** What came of each sender by each way in, by the hour: kept for 90 days, whatever the records are. */
  intake: {
    unit: "hours",
    by: ["sender", "site", "way in", ...CLOCK],
    numbers: {
      records: "records",
      bytes: "bytes",
      "not readable": "records",
      late: "records",
      "sent twice": "records",
      "over the cap": "records",
      "clock offset": "s",
    },
  },
  senders: {
    unit: "senders",
    by: ["sender", "site", "group", "role", "state", "silent"],
    numbers: {
      records: "records",
      bytes: "bytes",
      "not readable": "records",
      late: "records",
      "over the cap": "records",
      "sent twice": "records",
      "clock offset": "s",
      "silent for": "s",
    },
    isOfNow: true,
  },
  traffic: TRAFFIC_SOURCE,
  /** Tables of records that are kept. */
  store: {
    unit: "tables",
    by: ["kind", "state", "kept for"],
    numbers: { records: "records", bytes: "bytes", "days since the oldest": "" },
    isOfNow: true,
  },
} as const satisfies Record<string, OwnSourceGroups>;
export type OwnSource = keyof typeof OWN_SOURCES;
export const OWN_SOURCE_NAMES = Object.keys(OWN_SOURCES) as OwnSource[];

/** What an own source can be asked. */
export const ownSource = (name: OwnSource): OwnSourceGroups => OWN_SOURCES[name];

/** Entries whose value is one of these; of none: those that have a value at all. */
const OnlyWith = z.strictObject({
  by: z.string().min(1).max(64),
  is: z.array(z.string().min(1).max(256)).max(100),
});
const OnlyAll = z.array(OnlyWith).max(8);

/** What a measure tells of the entries of a group. */
export const OwnFigureOf = z.discriminatedUnion("of", [
  z.strictObject({ of: z.literal("count") }),
  z.strictObject({ of: z.enum(OF_NUMBERS), number: z.string().min(1).max(64) }),
  /** Of all entries: which part is these too. */
  z.strictObject({ of: z.literal("share"), only: OnlyAll.min(1) }),
]);
export type OwnFigureOf = z.infer<typeof OwnFigureOf>;

const OwnAsked = z.strictObject({
  source: z.enum(OWN_SOURCE_NAMES),
  figure: OwnFigureOf.default({ of: "count" }),
  only: OnlyAll.default([]),
  by: z.array(z.string().min(1).max(64)).max(MOST_GROUPINGS).default([]),
  order: z.enum(ORDERS).default("most"),
  /** How many rows; 0: all. */
  top: z.int().min(0).max(100).default(10),
  /** As so much a second of the time it is measured over. */
  perSecond: z.boolean().default(false),
  unit: UnitOf,
});

/** Names that its source has not. */
const checkNames = z.check<
  Pick<z.infer<typeof OwnAsked>, "source" | "figure" | "only" | "perSecond"> & { readonly by?: readonly string[] }
>(({ value: { source, figure, only, perSecond, by = [] }, issues }) => {
  const told = ownSource(source);
  const refuse = (message: string, input: unknown, path: (string | number)[]) =>
    issues.push({ code: "custom", message, input, path });
  const expect = (known: readonly string[], got: string, path: (string | number)[]) => {
    if (!known.includes(got)) refuse(`expected one of ${known.join(", ") || "none"}`, got, path);
  };
  for (const [i, name] of by.entries()) expect(told.by, name, ["by", i]);
  const refused = told.refuses?.(by) ?? null;
  if (refused !== null) refuse(refused, by, ["by"]);
  if (told.figures !== undefined) expect(told.figures, figure.of, ["figure", "of"]);
  for (const [i, o] of only.entries()) expect(told.only ?? told.by, o.by, ["only", i, "by"]);
  if (perSecond && !ownAddsUp({ figure })) refuse("only what adds up has a rate per second", perSecond, ["perSecond"]);
  if (figure.of === "share") for (const [i, o] of figure.only.entries()) expect(told.by, o.by, ["figure", "only", i]);
  if ("number" in figure) expect(Object.keys(told.numbers), figure.number, ["figure", "number"]);
});

/** A measure of what Halvik writes down of itself. */
export const OwnMeasure = OwnAsked.check(checkNames);
export type OwnMeasure = z.infer<typeof OwnMeasure>;

/** Whether what it tells of parts adds up to what it tells of the whole; entries with several values of a grouping count under each. */
export const ownAddsUp = ({ figure }: Pick<OwnMeasure, "figure">): boolean =>
  figure.of === "count" || figure.of === "sum";

/** A measure of records, or of what Halvik writes down of itself. */
export const AnyMeasure = z.discriminatedUnion("source", [MeasureAsked, OwnMeasure]);
export type AnyMeasure = z.infer<typeof AnyMeasure>;
export const isOwn = (measure: AnyMeasure): measure is OwnMeasure =>
  measure.source !== undefined && measure.source !== "records";

/** The same by hours of the day and days of the week, in the order of the clock. */
export const WeekMeasure = z.discriminatedUnion("source", [
  MeasureAsked.omit({ by: true, top: true, order: true }),
  OwnAsked.omit({ by: true, top: true, order: true }).check(checkNames, ({ value: { source }, issues }) => {
    if (ownSource(source).isOfNow)
      issues.push({ code: "custom", message: "it is of this moment, of no hours", input: source, path: ["source"] });
  }),
]);
export type WeekMeasure = z.infer<typeof WeekMeasure>;

/** Told apart by the hours of the week: days first, Monday first. */
export function byTheWeek(measure: WeekMeasure): AnyMeasure {
  const whole = { order: "most", top: 0 } as const;
  return measure.source === undefined || measure.source === "records"
    ? { ...measure, ...whole, by: [{ clock: "day of week" }, { clock: "hour of day" }] }
    : { ...(measure as Omit<OwnMeasure, "by" | "order" | "top">), ...whole, by: ["day of week", "hour of day"] };
}
