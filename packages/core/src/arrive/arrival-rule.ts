import * as z from "zod";
import { CATEGORIES, type HalvikRecord, SEVERITIES, type Severity } from "../model/record/index.js";
import { KEEP_DAYS } from "../model/senders/index.js";

const words = (most: number) =>
  z
    .string()
    .trim()
    .max(most)
    .refine((t) => !/\p{Cc}/u.test(t) && t.isWellFormed(), "expected one line of plain text");

/** What happens to records that a filter matches, before they are stored (docs/arrival.md). */
export const ArrivalRule = z
  .object({
    name: words(80).min(1, "a name is needed"),
    /** In the words of the filter language. */
    filter: words(4_000).min(1, "a filter is needed: what matches everything would be everything"),
    /** `mark`: the next rule is asked too; `keep` and `drop` decide. */
    does: z.enum(["mark", "keep", "drop"]),
    /** So many days instead of as long as others. */
    keepDays: z
      .union(KEEP_DAYS.map((d) => z.literal(d)))
      .nullable()
      .default(null),
    /** A severity, or so many steps more (below 0) or less severe. */
    severity: z
      .union([z.object({ to: z.int().min(0).max(7) }), z.object({ by: z.int().min(-7).max(7) })])
      .nullable()
      .default(null),
    category: z.enum(CATEGORIES).nullable().default(null),
    /** Becomes the value “tag”. */
    tag: words(60).min(1).nullable().default(null),
    /** Marked as expected. */
    expected: z.boolean().default(false),
    /** Is passed on there, whatever else becomes of it: the number of a forward. */
    forward: z.int().min(1).nullable().default(null),
  })
  .refine(
    (r) =>
      r.does !== "mark" ||
      r.keepDays !== null ||
      r.severity !== null ||
      r.category !== null ||
      r.tag !== null ||
      r.expected ||
      r.forward !== null,
    { path: ["does"], message: "it changes nothing: say what it does" },
  )
  .refine(
    (r) =>
      r.does !== "drop" ||
      (r.keepDays === null && r.severity === null && r.category === null && r.tag === null && !r.expected),
    {
      path: ["does"],
      message: "what is dropped needs no marks",
    },
  );
export type ArrivalRule = z.infer<typeof ArrivalRule>;

/** A rule that is ready to run. */
export interface ReadyRule {
  readonly id: number;
  readonly rule: ArrivalRule;
  readonly matches: (r: HalvikRecord) => boolean;
}

/** What the rules made of one record. */
export interface Verdict<R> {
  /** As it is stored. */
  readonly record: R;
  /** The rule that dropped it; null: it is kept. */
  readonly droppedBy: number | null;
  /** Days it is kept; null: as long as others. */
  readonly keepDays: number | null;
  /** Rules that matched, in order. */
  readonly met: readonly number[];
  /** Forwards by which it is passed on. */
  readonly forwards: readonly number[];
}

/**
 * Asks the rules in their order. Each sees what those before it made of the record; the first that says keep or drop is the last that is asked.
 * The severity that came stays beside, as the kind's own word for it, where it has none.
 */
export function judge(rules: readonly ReadyRule[], arrived: HalvikRecord): Verdict<HalvikRecord> {
  let record = arrived;
  let keepDays: number | null = null;
  const met: number[] = [];
  const forwards: number[] = [];
  for (const { id, rule, matches } of rules) {
    if (!matches(record)) continue;
    met.push(id);
    if (rule.forward !== null && !forwards.includes(rule.forward)) forwards.push(rule.forward);
    if (rule.does === "drop") return { record, droppedBy: id, keepDays, met, forwards };
    keepDays = rule.keepDays ?? keepDays;
    record = marked(record, rule);
    if (rule.does === "keep") break;
  }
  return { record, droppedBy: null, keepDays, met, forwards };
}

function marked(r: HalvikRecord, rule: ArrivalRule): HalvikRecord {
  const { severity, category, tag, expected } = rule;
  if (severity === null && category === null && tag === null && !expected) return r;
  return {
    ...r,
    ...(severity === null
      ? {}
      : {
          severity: ("to" in severity ? severity.to : Math.min(7, Math.max(0, r.severity + severity.by))) as Severity,
          originalSeverity: r.originalSeverity ?? SEVERITIES[r.severity]!,
        }),
    ...(category === null ? {} : { category }),
    ...(tag === null ? {} : { data: [...r.data, ["tag", tag] as const] }),
    ...(expected && !r.marks.includes("expected") ? { marks: [...r.marks, "expected" as const] } : {}),
  };
}

/** A rule as a sentence. */
export function sayArrivalRule(
  { does: decision, keepDays, severity, category, tag, expected, forward }: ArrivalRule,
  forwardName: (id: number) => string = String,
): string {
  const passed = forward === null ? [] : [`is passed on by “${forwardName(forward)}”`];
  if (decision === "drop") return [...passed, "is dropped, and counted"].join(", ");
  const does = [
    ...(keepDays === null ? [] : [`is kept for ${keepDays === 1 ? "one day" : `${keepDays} days`}`]),
    ...(severity === null
      ? []
      : [
          "to" in severity
            ? `becomes ${SEVERITIES[severity.to]}`
            : `becomes ${Math.abs(severity.by)} ${Math.abs(severity.by) === 1 ? "step" : "steps"} ${severity.by < 0 ? "more" : "less"} severe`,
        ]),
    ...(category === null ? [] : [`is about ${category}`]),
    ...(tag === null ? [] : [`gets the tag “${tag}”`]),
    ...(expected ? ["is marked as expected"] : []),
    ...passed,
  ];
  const said = does.length === 0 ? "is kept" : does.join(", ");
  return decision === "keep" ? `${said}; no further rule is asked` : said;
}
