import type pg from "pg";
import { to as copyTo } from "pg-copy-streams";
import { onConnection, type Queryable } from "../kernel/db/pool.js";
import type { CopyType } from "./copy-binary.js";
import { CopyDecoder } from "./copy-decode.js";

/** A column that is asked for. */
export interface CopiedColumn {
  readonly name: string;
  readonly copy: CopyType;
}

/** Which rows of a table are asked for: COPY takes no parameters, and numbers need none. */
export interface CopiedRows {
  /** With its schema. */
  readonly table: string;
  /** Rows after this id; */
  readonly after: string;
  /** up to this one, */
  readonly upTo: string;
  /** and so many of them at the most. */
  readonly most: number;
}

/** Reads rows by id, in the order of ids. @param take is given the values of a row in the order of columns, which are another row's afterwards */
export async function copyOut(
  db: Queryable,
  columns: readonly CopiedColumn[],
  { table, after, upTo, most }: CopiedRows,
  take: (values: readonly unknown[]) => void,
): Promise<void> {
  const query = `select ${columns.map((c) => `r.${c.name}`).join(", ")} from ${table} r where r.id > ${BigInt(after)} and r.id <= ${BigInt(upTo)} order by r.id limit ${most}`;
  const types = columns.map((c) => c.copy);
  await onConnection(db, async (client) => {
    for await (const _ of copiedRows(client, query, types, take)) {
      // they have been taken
    }
  });
}

/**
 * What a query gives, as it comes, some hundred rows at once. Whoever stops early leaves the connection as good as it was.
 * @param query SQL without parameters
 * @param types of its columns, in their order
 * @param read is given the values of a row, which are another row's afterwards
 */
export async function* copiedRows<T>(
  client: Pick<pg.ClientBase, "query">,
  query: string,
  types: readonly CopyType[],
  read: (values: readonly unknown[]) => T,
): AsyncGenerator<T[]> {
  const decoder = new CopyDecoder(types);
  const values: unknown[] = [];
  const stream = client.query(copyTo(`copy (${query}) to stdout (format binary)`));
  try {
    for await (const chunk of stream.iterator({ destroyOnReturn: false })) {
      decoder.push(chunk);
      const rows: T[] = [];
      while (decoder.next(values)) rows.push(read(values));
      if (rows.length > 0) yield rows;
    }
  } finally {
    // a connection that is left in the midst of what it sends hears of nothing else
    if (!stream.readableEnded && stream.errored === null) for await (const _ of stream);
  }
}
