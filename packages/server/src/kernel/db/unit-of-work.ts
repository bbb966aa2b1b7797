import type pg from "pg";
import { nowUs } from "../clock.js";
import { inTransaction, type Queryable } from "./pool.js";

/** Something a person does, as one unit of work: the change, what the history of an incident says of it, and the audit. */
export class Act {
  constructor(
    readonly db: pg.ClientBase,
    readonly who: string,
    readonly atUs: number,
  ) {}

  /** A line in an incident's history. */
  tell(incident: number, what: string, detail = ""): Promise<void> {
    return addEvent(this.db, incident, this.atUs, this.who, what, detail);
  }

  audit(what: string, detail: object = {}): Promise<void> {
    return addAudit(this.db, this.atUs, this.who, what, detail);
  }
}

/** Does all of it or nothing. */
export const inAct = <T>(pool: pg.Pool, who: string, work: (act: Act) => Promise<T>): Promise<T> =>
  inTransaction(pool, (client) => work(new Act(client, who, nowUs())));

export async function addEvent(
  db: Queryable,
  incident: number,
  atUs: number,
  who: string,
  what: string,
  detail: string,
): Promise<void> {
  await db.query("insert into incident_event (incident, at_us, who, what, detail) values ($1, $2, $3, $4, $5)", [
    incident,
    atUs,
    who,
    what,
    detail,
  ]);
}

export async function addAudit(db: Queryable, atUs: number, who: string, what: string, detail: object): Promise<void> {
  await db.query("insert into audit (at_us, who, what, detail) values ($1, $2, $3, $4)", [
    atUs,
    who,
    what,
    JSON.stringify(detail),
  ]);
}
