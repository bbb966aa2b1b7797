import { DB_OWNER, type DbRole } from "../kernel/db/pool.js";

/** A role of the database by the process that connects as it; the owner makes and changes tables and is no process's. */
type ProcessRole = Exclude<DbRole, "owner">;

interface Rights {
  readonly select: readonly string[];
  readonly insert: readonly string[];
  readonly update: readonly string[];
  readonly delete: readonly string[];
  /** Functions of the schema `segments`. */
  readonly functions: readonly string[];
  /** On segments and their templates. */
  readonly segments: readonly ("select" | "insert")[];
}

const ROLLUPS = [
  "rollup_minute",
  "rollup_five_minutes",
  "rollup_hour",
  "flow_service",
  "flow_source",
  "flow_destination",
  "flow_interface",
];
/** What whoever writes records needs: the batch, its sums, its raw bytes, the catalogue. */
const WRITES_RECORDS = ["collector", "batch", "segment", "raw_bytes", ...ROLLUPS];
/** What holds secrets, or what only whoever signs people in has to see. */
const SECRET = ["person", "token", "session", "snmp_user"];
/** Counted up by triggers when what they watch is changed. */
const VERSIONS = ["directory_version", "kind_change", "rule_change"];

/**
 * What each process may do in the database, and nothing else: the collector stores and never alters or deletes a record, nobody deletes an
 * incident or a version of a rule. The web role's grants stand in the migrations; here is what is taken from it.
 */
const RIGHTS: Readonly<Record<Exclude<ProcessRole, "web">, Rights>> = {
  collector: {
    select: [
      ...WRITES_RECORDS,
      "dropped_segment",
      "sender",
      "sender_address",
      "admitted_network",
      "sender_activity",
      "held_record",
      "endpoint_config",
      "snmp_user",
      "token",
      "own_meaning",
      "own_severity",
      "own_application",
      "mib_module",
      "flow_domain",
      "interface_name",
      "interface_measure",
      "undecodable",
      "unnamed_oid",
      "quarantined",
      "request_seen",
      "role_status",
      "endpoint",
      "listening",
      "job",
      "imported_file",
      ...VERSIONS,
    ],
    insert: [
      ...WRITES_RECORDS,
      "sender",
      "sender_address",
      "sender_activity",
      "held_record",
      "flow_domain",
      "interface_name",
      "interface_measure",
      "undecodable",
      "unnamed_oid",
      "quarantined",
      "request_seen",
      "role_status",
      "endpoint",
      "listening",
      "job",
      "imported_file",
    ],
    update: [
      "collector",
      "segment",
      ...ROLLUPS,
      "sender",
      "sender_address",
      "sender_activity",
      "flow_domain",
      "interface_name",
      "unnamed_oid",
      "quarantined",
      "request_seen",
      "role_status",
      "endpoint",
      "listening",
      "job",
      "imported_file",
      ...VERSIONS,
    ],
    delete: ["sender", "sender_address", "held_record", "undecodable", "quarantined", "request_seen", "endpoint"],
    functions: ["make"],
    segments: ["insert"],
  },
  engine: {
    select: ["*"],
    insert: [
      ...WRITES_RECORDS,
      "finding",
      "incident",
      "incident_event",
      "engine_state",
      "engine_cursor",
      "engine_lane",
      "engine_close",
      "rule_state",
      "rule_failure",
      "sender_silence",
      "role_status",
    ],
    update: [
      "collector",
      "segment",
      ...ROLLUPS,
      "finding",
      "incident",
      "incident_task",
      "engine_state",
      "engine_cursor",
      "engine_lane",
      "engine_close",
      "rule_state",
      "rule_failure",
      "sender_silence",
      "role_status",
      "job",
    ],
    delete: ["engine_state", "engine_lane", "engine_close", "rule_state", "sender_silence", "batch"],
    functions: ["make"],
    segments: ["select", "insert"],
  },
  keeper: {
    select: ["*"],
    insert: [...WRITES_RECORDS, "dropped_segment", "index_part", "index_terms", "index_directory", "role_status"],
    update: ["collector", "segment", ...ROLLUPS, "dropped_segment", "index_part", "role_status"],
    delete: ["segment", "raw_bytes", "index_part", "index_terms", "index_directory"],
    functions: ["make", "drop_table", "drop_filling_indexes", "make_statistics"],
    segments: ["select", "insert"],
  },
  notifier: {
    select: ["*"],
    // of incidents the one that says the engine has stopped
    insert: ["delivery", "incident", "incident_event", "role_status"],
    update: ["delivery", "incident_event", "role_status"],
    delete: ["delivery"],
    functions: [],
    segments: ["select"],
  },
};

export const roleName = (role: ProcessRole): string => `${DB_OWNER}_${role}`;
export const PROCESS_ROLES: readonly ProcessRole[] = ["web", "collector", "engine", "keeper", "notifier"];

/** Brings what roles may do in line with the lists above: run by the owner after the migrations, at every start. */
export function grantStatements(): string {
  const out: string[] = [];
  for (const [role, rights] of Object.entries(RIGHTS) as [Exclude<ProcessRole, "web">, Rights][]) {
    const name = roleName(role);
    out.push(
      `revoke all on all tables in schema public, segments from ${name}`,
      `grant usage on schema public, segments to ${name}`,
      `grant usage on all sequences in schema public to ${name}`,
      `grant execute on function ${["key_hash(text)", ...rights.functions.map((f) => `segments.${f}(text)`)].join(", ")} to ${name}`,
    );
    for (const right of ["select", "insert", "update", "delete"] as const) {
      const tables = rights[right];
      if (tables[0] === "*") {
        out.push(`grant ${right} on all tables in schema public to ${name}`);
        out.push(`revoke ${right} on ${SECRET.join(", ")} from ${name}`);
      } else if (tables.length > 0) out.push(`grant ${right} on ${[...new Set(tables)].join(", ")} to ${name}`);
    }
    const segments = rights.segments.join(", ");
    out.push(
      `grant ${segments} on all tables in schema segments to ${name}`,
      `alter default privileges in schema segments grant ${segments} on tables to ${name}`,
    );
  }
  // an incident and the versions of a rule are evidence: nobody deletes them
  out.push(`revoke delete on incident, rule_version from ${roleName("web")}`);
  return out.join(";\n");
}
