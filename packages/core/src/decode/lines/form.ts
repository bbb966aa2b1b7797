import * as z from "zod";
import { oneLine, storable } from "../../base/text/index.js";

/** `name` or `name:type`; nothing: what stands there is passed over. */
export const ValueName = oneLine(80);

/** How a line is taken apart. */
export const Form = z.discriminatedUnion("is", [
  /** Text with `{name:type}` where values stand (docs/arrival.md). */
  z.object({
    is: z.literal("line"),
    template: storable(4_000).min(1, "the line with its values is empty: mark a part of a line, or write it"),
  }),
  /** `name=value` between separators. */
  z.object({ is: z.literal("pairs"), between: z.enum([" ", ",", ";", "|", "\t"]), equals: z.enum(["=", ":"]) }),
  z.object({ is: z.literal("json") }),
  /** Values parted by a sign, in their order; quotes as in RFC 4180. */
  z.object({
    is: z.literal("columns"),
    by: z.enum([",", ";", "|", "\t", " "]),
    names: z.array(ValueName).min(1).max(200),
  }),
  /** Values at places of the line, counted from 0; `to` is the first place after it, and absent for the rest. */
  z.object({
    is: z.literal("positions"),
    columns: z
      .array(z.object({ from: z.int().min(0).max(65_535), to: z.int().min(1).max(65_536).optional(), name: ValueName }))
      .min(1)
      .max(100),
  }),
]);
export type Form = z.infer<typeof Form>;

/** A form, and what values that bring their own names are called. */
export interface NamedForm {
  readonly form: Form;
  readonly names: Readonly<Record<string, string>>;
}

/** Why a format cannot be: in words for whoever wrote it. */
export class FormatError extends Error {
  readonly code = "BAD_FORMAT";
}
