import type { EndpointStatus } from "../../edges/collecting/endpoint.js";
import type { Queryable } from "../../kernel/db/pool.js";

/** What the collector listens to, as Intake shows it; what it no longer holds goes. */
export async function writeEndpoints(
  db: Queryable,
  endpoints: readonly EndpointStatus[],
  nowUs: number,
): Promise<void> {
  await db.query("delete from endpoint where not (name = any($1::text[]))", [endpoints.map((e) => e.name)]);
  for (const e of endpoints)
    await db.query(
      `insert into endpoint (name, transport, address, port, state, detail, counters, updated_us) values ($1, $2, $3, $4, $5, $6, $7, $8)
       on conflict (name) do update set transport = $2, address = $3, port = $4, state = $5, detail = $6, counters = $7, updated_us = $8`,
      [e.name, e.transport, e.address, e.port, e.state, e.detail, JSON.stringify(e.counters), nowUs],
    );
}

export async function writeHeartbeat(
  db: Queryable,
  role: string,
  startedUs: number,
  nowUs: number,
  detail: object,
): Promise<void> {
  await db.query(
    `insert into role_status (role, pid, started_us, heartbeat_us, detail) values ($1, $2, $3, $4, $5)
     on conflict (role) do update set pid = $2, started_us = $3, heartbeat_us = $4, detail = $5`,
    [role, process.pid, startedUs, nowUs, JSON.stringify(detail)],
  );
}

export interface RoleStatus {
  readonly role: string;
  readonly startedUs: number;
  readonly heartbeatUs: number;
  readonly detail: Readonly<Record<string, unknown>>;
}

export async function readRoles(db: Queryable): Promise<RoleStatus[]> {
  const { rows } = await db.query<{
    role: string;
    started_us: number;
    heartbeat_us: number;
    detail: Record<string, unknown>;
  }>("select role, started_us, heartbeat_us, detail from role_status order by role");
  return rows.map((r) => ({ role: r.role, startedUs: r.started_us, heartbeatUs: r.heartbeat_us, detail: r.detail }));
}
