import { z } from "zod";

/** A time in a request: RFC 3339 with zone. In answers: UTC with microseconds. */
export const TimeText = z.string().meta({ format: "date-time" });
export const RecordId = z.string().regex(/^\d{1,19}$/, "expected a record id: digits");
export const EntityId = z
  .string()
  .regex(/^\d{1,9}$/, "expected an id: digits")
  .transform(Number);

/** Every error of the API has this shape; `position` points into a filter, in characters. */
export const ApiError = z.object({
  error: z.object({
    code: z.string(),
    message: z.string(),
    position: z.object({ start: z.int(), end: z.int() }).optional(),
    suggestion: z.string().optional(),
    field: z.string().optional(),
    /** In a text that was sent, from 1. */
    line: z.int().optional(),
    column: z.int().optional(),
  }),
});
export type ApiError = z.infer<typeof ApiError>;
