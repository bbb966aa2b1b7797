import { US_PER_HOUR } from "@halvik/core/base/time";
import { nowUs } from "../../kernel/clock.js";
import { Person } from "../../kernel/db/models.js";

declare module "express-session" {
  interface SessionData {
    personId: number;
    /** The person's number of sessions when it began: another one now, and it is over. */
    epoch: number;
    begunUs: number;
  }
}

/** Without a request for so long it is over. */
export const SESSION_IDLE_MS = 12 * 3_600 * 1_000;
/** However busy, it ends: a day's work, and whoever stole it has it no longer. */
const SESSION_MOST_US = 24 * US_PER_HOUR;

/** Whose session this is, as long as it counts; null: nobody's. */
export async function personOf(session: {
  readonly personId?: number | undefined;
  readonly epoch?: number | undefined;
  readonly begunUs?: number | undefined;
}): Promise<Person | null> {
  if (session.personId === undefined) return null;
  const ageUs = nowUs() - (session.begunUs ?? Number.NEGATIVE_INFINITY);
  if (!(ageUs < SESSION_MOST_US)) return null;
  const person = await Person.findByPk(session.personId);
  return person && !person.disabled && person.sessionEpoch === session.epoch ? person : null;
}
