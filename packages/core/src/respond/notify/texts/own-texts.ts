import * as z from "zod";
import { TEXT_KINDS, type TextKind } from "./kinds.js";
import { readTemplate } from "./template.js";

const SUBJECT_MOST = 300;
const BODY_MOST = 20_000;

/** A subject and a body, as they are written. */
export interface WrittenText {
  readonly subject: string;
  readonly body: string;
}

/** A text of a kind, refused where it names a variable that there is not. */
export const writtenText = (kind: TextKind) => {
  const checked = (most: number, takesBlocks: boolean) =>
    z
      .string()
      .max(most)
      .refine((text) => text.trim() !== "", "expected some text")
      .superRefine((text, check) => {
        for (const { message } of readTemplate(text, kind, takesBlocks).faults.slice(0, 1))
          check.addIssue({ code: "custom", message });
      });
  return z.object({
    subject: checked(SUBJECT_MOST, false).refine((s) => !/[\p{Cc}\u2028\u2029]/u.test(s), "expected one line"),
    body: checked(BODY_MOST, true).transform((text) => text.replace(/\r\n?/g, "\n")),
  });
};

/** A language tag (RFC 5646 section 2.1): language, script, region; no more is asked for. */
const LANGUAGE = /^[a-z]{2,3}(-[A-Z][a-z]{3})?(-([A-Z]{2}|\d{3}))?$/;

/** Texts of one's own, in one language; null: the text that ships. */
export const NotifyTexts = z.object({
  name: z
    .string()
    .trim()
    .min(1, "expected a name")
    .max(80)
    .regex(/^[^\p{Cc}]*$/u, "expected no control characters"),
  language: z.string().regex(LANGUAGE, "expected a language tag, as en or nb-NO").default("en"),
  texts: z.object(
    Object.fromEntries(TEXT_KINDS.map((kind) => [kind, writtenText(kind).nullable().default(null)])) as Record<
      TextKind,
      z.ZodDefault<z.ZodNullable<ReturnType<typeof writtenText>>>
    >,
  ),
});
export type NotifyTexts = z.infer<typeof NotifyTexts>;
