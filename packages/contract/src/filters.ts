import * as z from "zod";
import { TimeText } from "./common.js";

export const SavedFilterBody = z.object({
  name: z
    .string()
    .trim()
    .min(1, "expected a name")
    .max(80)
    .regex(/^[^\p{Cc}"]*$/u, "expected a name without quotes or control characters"),
  text: z.string().trim().min(1, "expected a filter").max(8_000),
  shared: z.boolean().default(false),
});

export const SavedFilterJson = z
  .object({
    id: z.int(),
    name: z.string(),
    text: z.string(),
    owner: z.string(),
    shared: z.boolean(),
    /** Whether the one who asks may change it. */
    mine: z.boolean(),
    changed: TimeText,
  })
  .meta({ id: "SavedFilter" });
export type SavedFilterJson = z.infer<typeof SavedFilterJson>;

export const SavedFilterList = z.object({ filters: z.array(SavedFilterJson) });
export type SavedFilterList = z.infer<typeof SavedFilterList>;
