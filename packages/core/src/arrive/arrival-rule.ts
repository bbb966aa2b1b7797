import * as z from "zod";
import { oneLine } from "../base/text/index.js";
import { CATEGORIES, SEVERITIES } from "../model/record/index.js";
import { KEEP_DAYS } from "../model/senders/index.js";

/** What happens to records that a filter matches, before they are stored (docs/arrival.md). */
export const ArrivalRule = z
  .object({
    name: oneLine(80).min(1, "a name is needed"),
    /** In the words of the filter language. */
    filter: oneLine(4_000).min(1, "a filter is needed: what matches everything would be everything"),
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
    tag: oneLine(60).min(1).nullable().default(null),
    /** Where it happened, whoever sent it: becomes the value “site”. */
    site: oneLine(60).min(1).nullable().default(null),
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
      r.site !== null ||
      r.expected ||
      r.forward !== null,
    { path: ["does"], message: "it changes nothing: say what it does" },
  )
  .refine(
    (r) =>
      r.does !== "drop" ||
      (r.keepDays === null &&
        r.severity === null &&
        r.category === null &&
        r.tag === null &&
        r.site === null &&
        !r.expected),
    {
      path: ["does"],
      message: "what is dropped needs no marks",
    },
  );
export type ArrivalRule = z.infer<typeof ArrivalRule>;

/** A rule as a sentence. */
export function sayArrivalRule(
  { does: decision, keepDays, severity, category, tag, site, expected, forward }: ArrivalRule,
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
    ...(site === null ? [] : [`is of the site “${site}”`]),
    ...(expected ? ["is marked as expected"] : []),
    ...passed,
  ];
  const said = does.length === 0 ? "is kept" : does.join(", ");
  return decision === "keep" ? `${said}; no further rule is asked` : said;
}
