import type { Queryable } from "../../../kernel/db/pool.js";
import type { Quarantined } from "./quarantine.js";

export type QuarantineState = "kept" | "again" | "given up" | "stored";

/** A file in quarantine as people see it. */
export interface QuarantinedRow {
  readonly file: string;
  readonly at_us: number;
  readonly what: "records" | "spool";
  readonly peer: string;
  readonly endpoint: string;
  readonly records: number;
  readonly bytes: number;
  readonly reason: string;
  readonly state: QuarantineState;
}

/** Brings what the database says in line with the files there are. @returns those about which something was decided */
export async function syncQuarantined(
  db: Queryable,
  collector: string,
  files: readonly Quarantined[],
): Promise<{ readonly file: string; readonly state: QuarantineState }[]> {
  const { rows } = await db.query<{ file: string; state: QuarantineState }>(
    "select file, state from quarantined where collector = $1 order by file",
    [collector],
  );
  const told = new Set(rows.map((r) => r.file));
  const there = new Set(files.map((f) => f.file));
  for (const f of files)
    if (!told.has(f.file))
      await db.query(
        "insert into quarantined (file, collector, at_us, what, peer, endpoint, records, bytes, reason) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)",
        [
          f.file,
          collector,
          Math.floor(f.atUs),
          f.what,
          f.peer,
          f.endpoint,
          f.records,
          f.bytes,
          f.reason.replaceAll("\0", "\u2400").toWellFormed(),
        ],
      );
  for (const { file } of rows) if (!there.has(file)) await forgetQuarantined(db, file);
  return rows.filter((r) => there.has(r.file) && r.state !== "kept");
}

/** In the transaction that stores what it held: a crash before the file is gone does not store it again. */
export async function endQuarantined(db: Queryable, file: string): Promise<void> {
  await db.query("update quarantined set state = 'stored' where file = $1", [file]);
}

export async function forgetQuarantined(db: Queryable, file: string): Promise<void> {
  await db.query("delete from quarantined where file = $1", [file]);
}

export async function listQuarantined(db: Queryable): Promise<QuarantinedRow[]> {
  const { rows } = await db.query<QuarantinedRow>(
    "select file, at_us, what, peer, endpoint, records, bytes, reason, state from quarantined where state <> 'stored' order by at_us desc limit 200",
  );
  return rows;
}

/** @returns whether there is such a file that waits for a decision */
export async function decideQuarantined(db: Queryable, file: string, state: "again" | "given up"): Promise<boolean> {
  const changed = await db.query(
    "update quarantined set state = $2 where file = $1 and state = 'kept' and (what = 'records' or $2 = 'given up')",
    [file, state],
  );
  return (changed.rowCount ?? 0) > 0;
}
