import type { CloseReason, HistoryCode } from "@halvik/core/respond/incidents";
import type pg from "pg";
import type { Transaction } from "sequelize";
import { nowUs } from "../clock.js";
import type { Models } from "./models.js";
import { type Queryable, transaction } from "./pool.js";

/** Something a person does, as one unit of work on one connection: the change, what the history of an incident says of it, and the audit. */
export class Act {
  constructor(
    readonly db: pg.ClientBase,
    readonly who: string,
    readonly atUs: number,
  ) {}

  /** A line in an incident's history. @param reason of a closing */
  tell(incident: number, code: HistoryCode, detail = "", reason: CloseReason | null = null): Promise<void> {
    return addEvent(this.db, incident, this.atUs, this.who, code, detail, reason);
  }

  audit(what: string, detail: object = {}): Promise<void> {
    return addAudit(this.db, this.atUs, this.who, what, detail);
  }
}

/** One in which models take part: they go by its `options`, hand-written SQL by `db`; both are the same connection. */
export class ModelAct extends Act {
  constructor(
    db: pg.ClientBase,
    readonly transaction: Transaction,
    who: string,
    atUs: number,
  ) {
    super(db, who, atUs);
  }

  /** What models are given, so that what they do is part of it. */
  get options(): { transaction: Transaction } {
    return { transaction: this.transaction };
  }
}

/** Does all of it or nothing. */
export const inAct = <T>(models: Models, who: string, work: (act: ModelAct) => Promise<T>): Promise<T> =>
  models.transaction((transaction) => {
    // Sequelize gives each transaction a connection of the driver's and keeps it there
    const { connection } = transaction as unknown as { connection: pg.ClientBase };
    return work(new ModelAct(connection, transaction, who, nowUs()));
  });

/** Does all of it or nothing, where no models are bound. */
export const inPlainAct = <T>(db: pg.ClientBase, who: string, work: (act: Act) => Promise<T>): Promise<T> =>
  transaction(db, () => work(new Act(db, who, nowUs())));

/** @param finding the one it tells of */
export async function addEvent(
  db: Queryable,
  incident: number,
  atUs: number,
  who: string,
  code: HistoryCode,
  detail: string,
  reason: CloseReason | null = null,
  finding: number | null = null,
): Promise<void> {
  await db.query(
    "insert into incident_event (incident, at_us, who, code, detail, reason, finding) values ($1, $2, $3, $4, $5, $6, $7)",
    [incident, atUs, who, code, detail, reason, finding],
  );
}

export async function addAudit(db: Queryable, atUs: number, who: string, what: string, detail: object): Promise<void> {
  await db.query("insert into audit (at_us, who, what, detail) values ($1, $2, $3, $4)", [
    atUs,
    who,
    what,
    JSON.stringify(detail),
  ]);
}
