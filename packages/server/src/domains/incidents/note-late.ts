import { US_PER_MINUTE } from "@halvik/core/base/time";
import { ITSELF } from "../../kernel/actor.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { addEvent } from "../../kernel/db/unit-of-work.js";
import { takeLateHeldBack } from "./findings-repository.js";

/** What is newly named, and what came late, is told in one line each, no oftener than this. */
export const NOTED_APART_US = 10 * US_PER_MINUTE;

/** A line in an incident's history for records that came late. */
export const noteLate = (db: Queryable, incident: number, records: number, nowUs: number): Promise<void> =>
  addEvent(
    db,
    incident,
    nowUs,
    ITSELF,
    "amended",
    records === 1 ? "a record that came late was added" : `${records} records that came late were added`,
  );

/** Says what came late and was held back so far. @param only of this incident, however lately it told of some */
export async function noteLateHeldBack(db: Queryable, nowUs: number, only: number | null = null): Promise<void> {
  const beforeUs = only === null ? nowUs - NOTED_APART_US : nowUs;
  for (const { id, records } of await takeLateHeldBack(db, beforeUs, nowUs, only))
    await noteLate(db, id, records, nowUs);
}
