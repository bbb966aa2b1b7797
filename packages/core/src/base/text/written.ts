import * as z from "zod";

/** What people write into one line: no signs that control, no halves of signs; ends trimmed. */
export const oneLine = (most: number) =>
  z
    .string()
    .trim()
    .max(most)
    .refine((t) => !/\p{Cc}/u.test(t) && t.isWellFormed(), "expected one line of plain text");

/** Text that may hold whatever a line of a program holds, but what no store takes: U+0000, halves of signs. */
export const storable = (most: number) =>
  z
    .string()
    .max(most)
    .refine((t) => !t.includes("\u0000") && t.isWellFormed(), "expected text without U+0000");
