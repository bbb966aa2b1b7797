import { FIELDS, type Field, fieldNamed } from "../../model/record/index.js";
import type { RecordField } from "./ast.js";

/** A field as filters see it, whatever it is a field of. */
export type FilterField = Omit<Field, "get">;

/**
 * What a filter may name: the fields of records, or of something else that is filtered. `text` is always one of them: words without a field
 * are looked for there.
 */
export interface Vocabulary<N extends string = string> {
  readonly fields: readonly FilterField[];
  /** The field of a name, as people say it, in any case. */
  readonly named: (name: string) => FilterField | undefined;
  /** Whether named values beyond the fields are asked for, as data "name". */
  readonly hasData: boolean;
  /** What one of them is called: "every record" is what an empty filter says. */
  readonly one: string;
  /** The names there are, for the types of trees; nothing reads it. */
  readonly names?: readonly N[];
}

export const RECORDS: Vocabulary<RecordField> = { fields: FIELDS, named: fieldNamed, hasData: true, one: "record" };
