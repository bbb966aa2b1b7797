import type { HalvikRecord } from "../model/record/index.js";
import type { RuleProgram } from "./compile-rule.js";
import type { RuleEvent } from "./event.js";

export const NO_PLACE: readonly number[] = [];
const NO_VALUES: readonly string[] = [];
export const endedBy = (ends: RuleEvent["ends"]): Omit<RuleEvent, "timeUs" | "id"> => ({
  meets: NO_PLACE,
  ends,
  values: NO_VALUES,
  amount: 0,
  entities: NO_VALUES,
  worse: 0,
  isEcho: false,
});

/** What a record says to a rule of which it meets these conditions, or else clears; null: nothing it could measure. */
export function eventOf(
  program: RuleProgram,
  record: HalvikRecord,
  isEcho: boolean,
  meets: readonly number[],
): RuleEvent | null {
  const { timeUs, id } = record;
  if (meets.length === 0) return { ...endedBy("record"), timeUs, id, isEcho };
  const amount = program.amount(record);
  if (amount === null) return null;
  const entities = program.entities(record);
  return {
    timeUs,
    id,
    meets,
    ends: null,
    values: program.values(record),
    amount,
    entities,
    worse: program.worse(record),
    isEcho,
  };
}
