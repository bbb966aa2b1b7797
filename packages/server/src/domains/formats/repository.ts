import { US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { FormatError } from "@halvik/core/decode/lines";
import { OwnFormat, type ReadyFormat, readyFormat } from "@halvik/core/formats";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { compileFilter, parseFilter } from "@halvik/core/query/filter";
import type { Queryable } from "../../kernel/db/pool.js";

/** A format as it is kept. */
export interface KeptFormat {
  readonly id: number;
  readonly format: OwnFormat;
  readonly enabled: boolean;
  /** Counted up by each change of what it says. */
  readonly version: number;
  readonly author: string;
  readonly changedUs: number;
}

/** All formats, in the order they are tried. One that is not readable any more is left out by whoever runs them. */
export async function loadFormats(db: Queryable): Promise<KeptFormat[]> {
  const { rows } = await db.query<{
    id: number;
    body: unknown;
    enabled: boolean;
    version: number;
    author: string;
    changed_us: number;
  }>("select id, body, enabled, version, author, changed_us from own_format order by place, id");
  return rows.flatMap(({ body, changed_us, ...r }) => {
    const format = OwnFormat.safeParse(body);
    return format.success ? [{ ...r, format: format.data, changedUs: changed_us }] : [];
  });
}

/**
 * A format ready to read. @throws {FormatError} when it cannot be read, its own lines do not fit it, or its filter is none; what goes by the moment at which somebody
 * looks is none here
 */
export function ready(id: number, format: OwnFormat, directory: SenderDirectory, nowUs: number): ReadyFormat {
  if (format.filter === "") return readyFormat(id, format, () => true);
  const parsed = parseFilter(format.filter, { zone: "UTC", directory });
  if (!parsed.ok) throw new FormatError(`its filter: ${parsed.error.message}`);
  return readyFormat(id, format, compileFilter(parsed.filter, { directory, nowUs }));
}

/** The formats that are tried. One that names what is gone is left out, and said with the reason. */
export function readyFormats(
  formats: readonly KeptFormat[],
  directory: SenderDirectory,
  nowUs: number,
): { readonly ready: ReadyFormat[]; readonly broken: { readonly id: number; readonly why: string }[] } {
  const out: ReadyFormat[] = [];
  const broken: { id: number; why: string }[] = [];
  for (const { id, format, enabled } of formats) {
    if (!enabled) continue;
    try {
      out.push(ready(id, format, directory, nowUs));
    } catch (e) {
      if (!(e instanceof FormatError)) throw e;
      broken.push({ id, why: e.message });
    }
  }
  return { ready: out, broken };
}

export async function addFormat(db: Queryable, format: OwnFormat, who: string, nowUs: number): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into own_format (place, body, author, changed_us) select coalesce(max(place), 0) + 1, $1::jsonb, $2, $3 from own_format returning id",
    [JSON.stringify(format), who, nowUs],
  );
  await keepVersion(db, rows[0]!.id);
  return rows[0]!.id;
}

/** What a format says now stays to be read when it says something else. */
const keepVersion = (db: Queryable, id: number) =>
  db.query(
    "insert into own_format_version (format, version, body, author, changed_us) select id, version, body, author, changed_us from own_format where id = $1 on conflict do nothing",
    [id],
  );

/** @returns whether there is such a format */
export async function changeFormat(
  db: Queryable,
  id: number,
  change: { readonly format?: OwnFormat; readonly enabled?: boolean },
  who: string,
  nowUs: number,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `update own_format set body = coalesce($2::jsonb, body), enabled = coalesce($3, enabled), author = $4, changed_us = $5,
       version = version + case when $2::jsonb is null or $2::jsonb = body then 0 else 1 end where id = $1`,
    [id, change.format === undefined ? null : JSON.stringify(change.format), change.enabled ?? null, who, nowUs],
  );
  if (rowCount === 1) await keepVersion(db, id);
  return rowCount === 1;
}

/** @returns its name; null: there is none */
export async function removeFormat(db: Queryable, id: number): Promise<string | null> {
  const { rows } = await db.query<{ name: string }>(
    "delete from own_format where id = $1 returning body->>'name' as name",
    [id],
  );
  await db.query("delete from own_format_near where format = $1", [id]);
  return rows[0]?.name ?? null;
}

/** Gives all formats another order. @param ids each format once */
export async function orderFormats(db: Queryable, ids: readonly number[]): Promise<void> {
  await db.query(
    "update own_format f set place = o.place from unnest($1::int[]) with ordinality as o (id, place) where o.id = f.id",
    [ids],
  );
}

export interface FormatVersion {
  readonly version: number;
  readonly body: unknown;
  readonly author: string;
  readonly changedUs: number;
}

/** What a format said, the latest first. */
export async function formatVersions(db: Queryable, id: number): Promise<FormatVersion[]> {
  const { rows } = await db.query<{ version: number; body: unknown; author: string; changed_us: number }>(
    "select version, body, author, changed_us from own_format_version where format = $1 order by version desc limit 50",
    [id],
  );
  return rows.map(({ changed_us, ...r }) => ({ ...r, changedUs: changed_us }));
}

export interface FormatUses {
  readonly format: number;
  readonly day: number;
  readonly near: number;
  readonly week: number;
}

/** How many records each format read in the last day and week, and how many it nearly fitted in the last day. */
export async function formatUses(db: Queryable, nowUs: number): Promise<FormatUses[]> {
  const { rows } = await db.query<FormatUses>(
    `select format, coalesce(sum(met) filter (where hour >= $1), 0)::float8 as day, coalesce(sum(near) filter (where hour >= $1), 0)::float8 as near, sum(met)::float8 as week
     from own_format_use where hour >= $2 group by format`,
    [Math.floor((nowUs - US_PER_DAY) / US_PER_HOUR), Math.floor((nowUs - 7 * US_PER_DAY) / US_PER_HOUR)],
  );
  return rows;
}

/** Lines that nearly fitted, the latest first. */
export async function nearLines(
  db: Queryable,
): Promise<{ format: number; atUs: number; sender: number; text: string; place: number; expected: string }[]> {
  const { rows } = await db.query<{
    format: number;
    at_us: number;
    sender: number;
    text: string;
    place: number;
    expected: string;
  }>("select format, at_us, sender, text, place, expected from own_format_near order by id desc limit 2000");
  return rows.map(({ at_us, ...r }) => ({ ...r, atUs: at_us }));
}
