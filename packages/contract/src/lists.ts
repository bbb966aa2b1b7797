import { LIST_KINDS, VALUE_MOST } from "@halvik/core/model/lists";
import * as z from "zod";
import { TimeText } from "./common.js";

const line = (most: number) =>
  z
    .string()
    .trim()
    .max(most)
    .regex(/^[^\p{Cc}]*$/u, "expected no control characters");

export const ListWrite = z.object({
  name: line(80)
    .min(1, "expected a name")
    .regex(/^[^"\\]*$/, "expected no quotes and no backslash"),
  kind: z.enum(LIST_KINDS),
  about: line(500).default(""),
});

export const ListJson = ListWrite.extend({
  id: z.int(),
  author: z.string(),
  changed: TimeText,
  /** Entries that hold now, and those that have run out. */
  entries: z.int(),
  expired: z.int(),
  /** The next one to run out; null: none does. */
  nextExpiry: TimeText.nullable(),
  /** What names it: rules, saved filters, notifications. */
  usedBy: z.array(
    z.object({ what: z.enum(["rule", "saved filter", "rule of arrival"]), id: z.string(), name: z.string() }),
  ),
});
export const Lists = z.object({ lists: z.array(ListJson) });
export type Lists = z.infer<typeof Lists>;

export const ListEntries = z.object({
  entries: z.array(
    z.object({
      id: z.int(),
      value: z.string(),
      note: z.string(),
      source: z.string(),
      expires: TimeText.nullable(),
      expired: z.boolean(),
      author: z.string(),
      added: TimeText,
    }),
  ),
  /** How many there are beside these. */
  more: z.int(),
});
export type ListEntries = z.infer<typeof ListEntries>;
export const ListEntriesQuery = z.object({ text: z.string().max(VALUE_MOST).optional() });

/** Entries to add, one by one or as a file. */
export const AddEntries = z.discriminatedUnion("as", [
  z.object({
    as: z.literal("value"),
    value: z.string().max(1_000),
    note: line(300).default(""),
    expires: TimeText.nullable().default(null),
  }),
  /** Lines of values; or with a head that names value, note and expires. */
  z.object({ as: z.literal("csv"), text: z.string().max(4_000_000), source: line(120).default("") }),
  /** A bundle of STIX 2.1. */
  z.object({ as: z.literal("stix"), text: z.string().max(8_000_000), source: line(120).default("") }),
]);

export const AddedEntries = z.object({
  added: z.int(),
  /** They stood in it: their note, source and expiry are as they came now. */
  renewed: z.int(),
  refused: z.int(),
  /** The first refused, each with its reason. */
  reasons: z.array(z.object({ what: z.string(), why: z.string() })),
});
export type AddedEntries = z.infer<typeof AddedEntries>;
