import { EndpointKind, EndpointSettings } from "@halvik/contract/kinds";
import type { JsonMapping } from "@halvik/core/decode/json";
import { AUTH_PROTOCOLS, PRIV_PROTOCOLS, type UsmUser } from "@halvik/core/decode/snmp";
import * as z from "zod";
import type { Config } from "../../../kernel/config/config.js";
import { PORT_SETTINGS } from "../../../kernel/config/ports.js";
import type { Queryable } from "../../../kernel/db/pool.js";
import type { RefusedCommunity } from "../arrivals/endpoint.js";

export const ENDPOINT_KINDS = EndpointKind.options;

/** An endpoint as people set it: its own values where given, else those of the configuration. */
export interface EndpointConfig {
  readonly id: number;
  readonly name: string;
  readonly kind: EndpointKind;
  readonly host: string;
  readonly port: number;
  readonly enabled: boolean;
  readonly settings: EndpointSettings;
}

/** The endpoints every Halvik starts with; their ports follow the configuration until someone sets others. */
const STARTERS: readonly {
  name: string;
  kind: EndpointKind;
  setting: (typeof PORT_SETTINGS)[number];
  settings?: EndpointSettings;
}[] = [
  { name: "syslog over UDP", kind: "syslog-udp", setting: "HALVIK_SYSLOG_UDP_PORT" },
  { name: "syslog over TCP", kind: "syslog-tcp", setting: "HALVIK_SYSLOG_TCP_PORT" },
  { name: "syslog over TLS", kind: "syslog-tls", setting: "HALVIK_SYSLOG_TLS_PORT" },
  // no community is taken for granted
  { name: "SNMP notifications", kind: "snmp", setting: "HALVIK_SNMP_PORT", settings: { communities: [] } },
  { name: "flows, NetFlow", kind: "flow", setting: "HALVIK_NETFLOW_PORT" },
  { name: "flows, IPFIX", kind: "flow", setting: "HALVIK_IPFIX_PORT" },
  { name: "flows, sFlow", kind: "flow", setting: "HALVIK_SFLOW_PORT" },
  { name: "events over HTTPS", kind: "https", setting: "HALVIK_INTAKE_PORT" },
];

export async function makeStarterEndpoints(db: Queryable): Promise<void> {
  for (const { name, kind, setting, settings = {} } of STARTERS)
    await db.query(
      "insert into endpoint_config (name, kind, port_setting, settings) select $1, $2, $3, $4 where not exists (select from endpoint_config where port_setting = $3)",
      [name, kind, setting, JSON.stringify(settings)],
    );
}

/** How JSON that comes in is read, by endpoint; those without a mapping of their own go by usual names. */
export const mappingsOf = (endpoints: readonly EndpointConfig[]): ReadonlyMap<string, JsonMapping> =>
  new Map(endpoints.flatMap((e) => (e.settings.mapping ? [[e.name, e.settings.mapping]] : [])));

export async function loadEndpoints(db: Queryable, config: Config): Promise<EndpointConfig[]> {
  const { rows } = await db.query<{
    id: number;
    name: string;
    kind: EndpointKind;
    host: string | null;
    port: number | null;
    port_setting: string | null;
    enabled: boolean;
    settings: unknown;
  }>("select id, name, kind, host, port, port_setting, enabled, settings from endpoint_config order by id");
  return rows.map((r) => {
    const setting = PORT_SETTINGS.find((s) => s === r.port_setting);
    return {
      id: r.id,
      name: r.name,
      kind: r.kind,
      host: r.host ?? config.HALVIK_LISTEN_HOST,
      port: r.port ?? (setting ? config[setting] : 0),
      enabled: r.enabled,
      settings: EndpointSettings.parse(r.settings),
    };
  });
}

const UserRow = z.object({
  name: z.string(),
  auth_protocol: z.enum(AUTH_PROTOCOLS).nullable(),
  auth_key: z.instanceof(Buffer).nullable(),
  priv_protocol: z.enum(PRIV_PROTOCOLS).nullable(),
  priv_key: z.instanceof(Buffer).nullable(),
  only_from: z.array(z.string()).nullable(),
});

/** A user, and the addresses it may speak from: those of its sender, or any. */
export interface SnmpUser extends UsmUser {
  readonly onlyFrom: readonly string[] | null;
}

export async function loadSnmpUsers(db: Queryable): Promise<SnmpUser[]> {
  const { rows } = await db.query(
    `select name, auth_protocol, auth_key, priv_protocol, priv_key,
       case when sender is not null then array(select host(address) from sender_address a where a.sender = u.sender) end as only_from
     from snmp_user u`,
  );
  return rows.map((row) => {
    const r = UserRow.parse(row);
    return {
      name: r.name,
      auth: r.auth_protocol && r.auth_key ? { protocol: r.auth_protocol, key: r.auth_key } : null,
      priv: r.priv_protocol && r.priv_key ? { protocol: r.priv_protocol, key: r.priv_key } : null,
      onlyFrom: r.only_from,
    };
  });
}

/** @param senderName the only sender that may be this user. @throws {EndpointConflict} when there is none of that name */
export async function saveSnmpUser(db: Queryable, u: UsmUser, senderName: string | null): Promise<void> {
  let sender: number | null = null;
  if (senderName !== null) {
    const { rows } = await db.query<{ id: number }>("select id from sender where lower(name) = lower($1)", [
      senderName,
    ]);
    if (!rows[0]) throw new EndpointConflict(`there is no sender “${senderName}”`);
    sender = rows[0].id;
  }
  // the web role may not read keys, so an upsert (which would) is two statements
  await db.query("delete from snmp_user where name = $1", [u.name]);
  await db.query(
    "insert into snmp_user (name, auth_protocol, auth_key, priv_protocol, priv_key, sender) values ($1, $2, $3, $4, $5, $6)",
    [
      u.name,
      u.auth?.protocol ?? null,
      u.auth ? Buffer.from(u.auth.key) : null,
      u.priv?.protocol ?? null,
      u.priv ? Buffer.from(u.priv.key) : null,
      sender,
    ],
  );
}

/** A change to an endpoint that cannot be made. */
export class EndpointConflict extends Error {}

export interface NewEndpoint {
  readonly name: string;
  readonly kind: EndpointKind;
  readonly host: string | null;
  readonly port: number;
  readonly settings: EndpointSettings;
}

export async function addEndpoint(db: Queryable, e: NewEndpoint): Promise<void> {
  try {
    await db.query("insert into endpoint_config (name, kind, host, port, settings) values ($1, $2, $3, $4, $5)", [
      e.name,
      e.kind,
      e.host,
      e.port,
      // no community is taken for granted
      JSON.stringify(e.kind === "snmp" ? { communities: [], ...e.settings } : e.settings),
    ]);
  } catch (error) {
    if ((error as { code?: string }).code === "23505")
      throw new EndpointConflict(`there is an endpoint “${e.name}” already`);
    throw error;
  }
}

/** Changes what is given; settings are added to those there are. @throws {EndpointConflict} when there is none of that name */
export async function changeEndpoint(
  db: Queryable,
  name: string,
  change: {
    readonly host?: string;
    readonly port?: number;
    readonly enabled?: boolean;
    readonly settings?: EndpointSettings;
  },
): Promise<void> {
  const { rowCount } = await db.query(
    `update endpoint_config set host = coalesce($2, host), port = coalesce($3, port), enabled = coalesce($4, enabled), settings = settings || $5
     where lower(name) = lower($1)`,
    [name, change.host ?? null, change.port ?? null, change.enabled ?? null, JSON.stringify(change.settings ?? {})],
  );
  if (rowCount === 0) throw new EndpointConflict(`there is no endpoint “${name}”`);
}

export async function removeEndpoint(db: Queryable, name: string): Promise<void> {
  const { rowCount } = await db.query(
    "delete from endpoint_config where lower(name) = lower($1) and port_setting is null",
    [name],
  );
  if (rowCount === 0)
    throw new EndpointConflict(
      `there is no endpoint “${name}” that can be removed; those of the configuration can be stopped`,
    );
}

/** @returns whether there was one */
export async function removeSnmpUser(db: Queryable, name: string): Promise<boolean> {
  const { rowCount } = await db.query("delete from snmp_user where name = $1", [name]);
  return rowCount !== 0;
}

/** Users of SNMPv3 without their keys. */
export async function listSnmpUsers(
  db: Queryable,
): Promise<{ name: string; authProtocol: string | null; privProtocol: string | null; sender: string | null }[]> {
  const { rows } = await db.query<{
    name: string;
    auth_protocol: string | null;
    priv_protocol: string | null;
    sender: string | null;
  }>(
    "select u.name, auth_protocol, priv_protocol, s.name as sender from snmp_user u left join sender s on s.id = u.sender order by u.name",
  );
  return rows.map((u) => ({
    name: u.name,
    authProtocol: u.auth_protocol,
    privProtocol: u.priv_protocol,
    sender: u.sender,
  }));
}

export async function endpointName(db: Queryable, id: number): Promise<string | null> {
  const { rows } = await db.query<{ name: string }>("select name from endpoint_config where id = $1", [id]);
  return rows[0]?.name ?? null;
}

/** The settings that give endpoints their ports, where they have none of their own; by id. */
export async function portSettings(db: Queryable): Promise<Map<number, string>> {
  const { rows } = await db.query<{ id: number; port_setting: string }>(
    "select id, port_setting from endpoint_config where port is null and port_setting is not null",
  );
  return new Map(rows.map((r) => [r.id, r.port_setting]));
}

/** What the collector last said of its endpoints, by name. */
export async function endpointStates(
  db: Queryable,
): Promise<
  Map<string, { state: string; detail: string; counters: Record<string, number>; refused: readonly RefusedCommunity[] }>
> {
  const { rows } = await db.query<{
    name: string;
    state: string;
    detail: string;
    counters: Record<string, number>;
    refused: readonly RefusedCommunity[];
  }>("select name, state, detail, counters, refused from endpoint");
  return new Map(rows.map(({ name, ...state }) => [name, state]));
}

/** The last samples of what could not be read. */
export async function undecodableSamples(
  db: Queryable,
): Promise<
  { endpoint: string; atUs: number; peer: string; code: string; message: string; offset: number; sample: Buffer }[]
> {
  const { rows } = await db.query<{
    endpoint: string;
    at_us: number;
    peer: string;
    code: string;
    message: string;
    byte_offset: number;
    sample: Buffer;
  }>("select endpoint, at_us, peer, code, message, byte_offset, sample from undecodable order by id desc limit 400");
  return rows.map(({ at_us, byte_offset, ...rest }) => ({ ...rest, atUs: at_us, offset: byte_offset }));
}
