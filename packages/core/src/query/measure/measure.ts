import type { FieldName } from "../../model/record/index.js";

/** What adds up from record to record. Records without a value carry none of it. */
export const AMOUNTS = ["records", "bytes", "packets"] as const;
export type Amount = (typeof AMOUNTS)[number];

/** By what values are set in order: something that adds up, or how many different values another field has with each. */
export const MEASURES = [...AMOUNTS, "distinct"] as const;
export type Measure =
  | { readonly by: Amount }
  | { readonly by: "distinct" /** The field whose values are told apart. */; readonly of: FieldName };
