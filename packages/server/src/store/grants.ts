import { DB_OWNER, type DbRole } from "../kernel/db/pool.js";
import { JOBS_SCHEMA } from "../kernel/jobs/jobs.js";

/** A role of the database by the process that connects as it; the owner makes and changes tables and is no process's. */
type ProcessRole = Exclude<DbRole, "owner">;

interface Rights {
  readonly select: readonly string[];
  readonly insert: readonly string[];
  readonly update: readonly string[];
  readonly delete: readonly string[];
  /** Rights on some columns of a table alone. */
  readonly columns?: readonly string[];
  /** What waits to be done (`kernel/jobs`). */
  readonly jobs?: true;
  /** Functions of the schema `segments`; without a signature, of a segment's name. */
  readonly functions: readonly string[];
  /** On segments and their templates. */
  readonly segments: readonly ("select" | "insert")[];
}

const ROLLUPS = ["rollup_minute", "rollup_five_minutes", "rollup_hour"];
/** Sums of traffic, and what is noted beside them. */
const TRAFFIC = ["traffic_sum", "traffic_source", "traffic_position", "traffic_derived"];
/** What belongs together, and how far records were looked through for it. */
const BINDINGS = ["binding", "binding_position"];
/** What messages are told apart by, learnt as they are written. */
const SHAPES = ["shape", "shape_change"];
/** When values were first and last seen. */
const SIGHTINGS = ["sighting", "sighting_state"];
/** What whoever writes records needs: the batch, its sums, its raw bytes, the catalogue, shapes. */
const WRITES_RECORDS = ["collector", "batch", "segment", "raw_bytes", "shape", ...ROLLUPS];
/** Working papers: whoever may read them is decided where people are known. */
const PAPERS = [
  "paper",
  "paper_person",
  "paper_pin",
  "paper_record",
  "paper_file",
  "paper_entry",
  "paper_link",
  "question_set",
];
/** What holds secrets, or what only whoever knows people has to see. */
const SECRET = ["person", "token", "session", "wall", "snmp_user", "notify_channel", "forward", ...PAPERS];
/** Counted up by triggers when what they watch is changed. */
const VERSIONS = ["directory_version", "kind_change", "rule_change"];

/** What people make, change and remove in the interface. */
const PEOPLES = [
  ...PAPERS,
  "admitted_network",
  "arrival_rule",
  "board",
  "endpoint_config",
  "forward",
  "interface_fact",
  "list",
  "list_entry",
  "measure",
  "mib_module",
  "notices_read",
  "notify_channel",
  "notify_route",
  "notify_text",
  "own_application",
  "own_domain",
  "own_format",
  "own_format_version",
  "own_meaning",
  "own_severity",
  "person",
  "report",
  "report_schedule",
  "report_run",
  "rota",
  "rule",
  "saved_filter",
  "sender",
  "sender_address",
  "sender_former",
  "sender_counter",
  "session",
  "snmp_user",
  "token",
  "wall",
];

/**
 * What each process may do in the database, and nothing else: the collector stores and never alters or deletes a record, nobody deletes an
 * incident or a version of a rule.
 */
const RIGHTS: Readonly<Record<ProcessRole, Rights>> = {
  web: {
    // it signs people in
    select: ["*", "person", "token", "session", "wall", ...PAPERS],
    insert: [
      ...PEOPLES,
      "audit",
      "bulk_act",
      "delivery",
      "engine_close",
      "format_reading",
      "incident",
      "incident_event",
      "incident_task",
      "job",
      "role_status",
      "rule_version",
    ],
    update: [
      ...PEOPLES,
      ...VERSIONS,
      "bulk_act",
      "finding",
      "format_reading",
      "incident",
      "incident_task",
      "job",
      "role_status",
    ],
    delete: [
      ...PEOPLES,
      "arrival_sample",
      "own_format_near",
      "forward_state",
      "engine_close",
      "held_record",
      "rule_failure",
    ],
    // who may write a user's keys may not read them; an arrival in quarantine may be asked for again
    columns: [
      "select (name, auth_protocol, priv_protocol, sender) on snmp_user",
      "select (id, body, author, changed_us) on notify_channel",
      "select (id, body, enabled, has_secret, author, changed_us) on forward",
      "update (link_used_us) on delivery",
      "update (state) on quarantined",
      "update (name, meaning, category, named_by, named_us) on shape",
    ],
    functions: [],
    segments: ["select"],
    jobs: true,
  },
  collector: {
    select: [
      ...WRITES_RECORDS,
      "shape_change",
      "dropped_segment",
      "sender",
      "sender_address",
      "sender_former",
      "admitted_network",
      "arrival_rule",
      "arrival_rule_use",
      "arrival_sample",
      "list",
      "list_entry",
      "sender_activity",
      "sender_hour",
      "held_record",
      "endpoint_config",
      "forward",
      "forward_state",
      "snmp_user",
      "token",
      "own_meaning",
      "own_severity",
      "own_application",
      "own_domain",
      "own_format",
      "own_format_use",
      "own_format_near",
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
      "arrival_rule_use",
      "own_format_use",
      "forward_state",
      "own_format_near",
      "arrival_sample",
      "sender",
      "sender_address",
      "sender_activity",
      "sender_hour",
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
      "arrival_rule_use",
      "own_format_use",
      "forward_state",
      "collector",
      "segment",
      ...ROLLUPS,
      ...SHAPES,
      "sender",
      "sender_address",
      "sender_activity",
      "sender_hour",
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
    delete: [
      "arrival_rule_use",
      "own_format_use",
      "forward_state",
      "own_format_near",
      "arrival_sample",
      "sender",
      "sender_address",
      "sender_hour",
      "held_record",
      "undecodable",
      "quarantined",
      "request_seen",
      "endpoint",
    ],
    functions: ["make"],
    segments: ["insert"],
  },
  engine: {
    select: ["*"],
    insert: [
      ...WRITES_RECORDS,
      "evidence",
      "finding",
      "incident",
      "incident_event",
      "kept_record",
      "engine_state",
      "engine_cursor",
      "engine_lane",
      "engine_close",
      "rule_state",
      "rule_failure",
      "sender_silence",
      "sender_told",
      "role_status",
    ],
    update: [
      "collector",
      "segment",
      ...ROLLUPS,
      ...SHAPES,
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
    insert: [
      ...WRITES_RECORDS,
      ...TRAFFIC,
      ...BINDINGS,
      "sighting",
      "amended_record",
      "dropped_segment",
      "index_part",
      "index_terms",
      "index_directory",
      "role_status",
    ],
    update: [
      "collector",
      "segment",
      ...ROLLUPS,
      ...SHAPES,
      ...TRAFFIC,
      ...BINDINGS,
      ...SIGHTINGS,
      "amended_record",
      "format_reading",
      "dropped_segment",
      "index_part",
      "role_status",
    ],
    delete: [
      "segment",
      "raw_bytes",
      "index_part",
      "index_terms",
      "index_directory",
      ...ROLLUPS,
      ...TRAFFIC,
      ...BINDINGS,
      "sighting",
      "shape",
      "amended_record",
      "interface_measure",
      "flow_domain",
      "interface_name",
      "unnamed_oid",
    ],
    functions: ["make", "drop_table", "drop_filling_indexes", "make_statistics", "amend(text, jsonb)"],
    segments: ["select", "insert"],
  },
  notifier: {
    select: ["*", "notify_channel"],
    // of incidents the one that says the engine has stopped
    insert: ["delivery", "incident", "incident_event", "role_status"],
    update: ["delivery", "incident_event", "role_status"],
    delete: ["delivery"],
    columns: ["update (told) on report_run"],
    functions: [],
    segments: ["select"],
  },
};

export const roleName = (role: ProcessRole): string => `${DB_OWNER}_${role}`;
export const PROCESS_ROLES: readonly ProcessRole[] = ["web", "collector", "engine", "keeper", "notifier"];

/** Brings what roles may do in line with the lists above: run by the owner after the migrations, at every start. */
export function grantStatements(): string {
  // functions of the owner's are nobody's, until named
  const out: string[] = ["revoke execute on all functions in schema segments from public"];
  for (const [role, rights] of Object.entries(RIGHTS) as [ProcessRole, Rights][]) {
    const name = roleName(role);
    out.push(
      `revoke all on all tables in schema public, segments from ${name}`,
      `revoke all on all functions in schema public, segments from ${name}`,
      `grant usage on schema public, segments to ${name}`,
      `grant usage on all sequences in schema public to ${name}`,
      `grant execute on function ${["key_hash(text)", ...rights.functions.map((f) => `segments.${f.includes("(") ? f : `${f}(text)`}`)].join(", ")} to ${name}`,
    );
    for (const right of ["select", "insert", "update", "delete"] as const) {
      const tables = rights[right];
      if (tables[0] === "*") {
        const rest = tables.slice(1);
        out.push(`grant ${right} on all tables in schema public to ${name}`);
        out.push(`revoke ${right} on ${SECRET.filter((t) => !rest.includes(t)).join(", ")} from ${name}`);
      } else if (tables.length > 0) out.push(`grant ${right} on ${[...new Set(tables)].join(", ")} to ${name}`);
    }
    if (rights.jobs)
      out.push(
        `grant usage on schema ${JOBS_SCHEMA} to ${name}`,
        `grant select, insert, update, delete on all tables in schema ${JOBS_SCHEMA} to ${name}`,
      );
    for (const columns of rights.columns ?? []) out.push(`grant ${columns} to ${name}`);
    const segments = rights.segments.join(", ");
    out.push(
      `grant ${segments} on all tables in schema segments to ${name}`,
      `alter default privileges in schema segments grant ${segments} on tables to ${name}`,
    );
  }
  return out.join(";\n");
}
