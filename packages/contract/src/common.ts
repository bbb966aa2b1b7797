import * as z from "zod";

/** A time in a request: RFC 3339 with zone. In answers: UTC with microseconds. */
export const TimeText = z.string().meta({ format: "date-time" });
export const RecordId = z.string().regex(/^\d{1,19}$/, "expected a record id: digits");
export const EntityId = z
  .string()
  .regex(/^\d{1,9}$/, "expected an id: digits")
  .transform(Number);
