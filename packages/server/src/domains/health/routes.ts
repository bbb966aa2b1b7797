import { statfs } from "node:fs/promises";
import { Health, type HealthDetails, Intake, Summary } from "@halvik/contract/status";
import { formatUs, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import { agoUs, nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool, Queryable } from "../../kernel/db/pool.js";
import { NOBODY, route } from "../../kernel/http/route.js";
import { processName } from "../../kernel/node.js";
import { storedSince } from "../../store/batches.js";
import { storeSize } from "../../store/segments.js";
import { needingAttention } from "../incidents/repository.js";
import { runningJobs } from "../intake/imports/repository.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { senderStatus } from "../intake/senders/status-repository.js";
import { ruleFailures } from "../rules/failures-repository.js";
import { type RoleStatus, readEndpoints, readRoles } from "./repository.js";

const FRESH_US = 15 * US_PER_SECOND;
const RATE_WINDOW_US = US_PER_MINUTE;

/** What these routes work with. */
interface Needs {
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly config: Config;
  readonly version: string;
}

export const statusRoutes = ({ db, directory, config, version }: Needs) => [
  route({
    method: "get",
    path: "/health",
    summary: "Whether Halvik works: 200, or 503 when a role or the store is away; the details for those who may read",
    access: "open",
    answer: Health,
    handle: async ({ actor, res }) => {
      const health = await healthOf(db, nowUs(), version).catch(() => null);
      const state = health?.state ?? "down";
      if (state === "down") res.status(503);
      // whoever may not read learns whether it works, and nothing else
      return actor.name === NOBODY || health === null ? { state } : health;
    },
  }),
  route({
    method: "get",
    path: "/summary",
    summary: "The figures of the top line and of Now",
    access: "read",
    answer: Summary,
    handle: async () => {
      const now = nowUs();
      const senders = await senderStatus(db, await directory.get());
      const roles = await readRoles(db);
      const collector = collectorsDetail(roles);
      const count = (name: string) => Number(collector[name] ?? 0);
      const sum = (name: "problems" | "late" | "capped") => senders.reduce((total, s) => total + s[name], 0);
      const { rows: n, sinceUs: since } = await storedSince(db, now - RATE_WINDOW_US);
      const store = await storeSize(db);
      const engine = roles.find((r) => r.role === "engine");
      const through = Number(engine?.detail.throughUs ?? 0);
      const disk = await statfs(config.HALVIK_DATA_DIR).catch(() => null);
      const silent = senders.filter((s) => s.state === "admitted" && s.silentSince !== null);
      const silentNames = new Set(silent.map((s) => s.name));
      return {
        now: formatUs(now),
        recordsPerSecond: since === null ? 0 : Math.round((n / Math.max(1, (now - since) / US_PER_SECOND)) * 10) / 10,
        lost: count("lost"),
        attention: (await needingAttention(db, nowUs())).length,
        senders: {
          admitted: senders.filter((s) => s.state === "admitted").length,
          waiting: senders.filter((s) => s.state === "waiting").length,
          silent: silent.map((s) => ({
            name: s.name,
            since: s.silentSince!,
            usualGapSeconds: s.expectedEverySeconds ?? s.usualGapSeconds,
            explainedBy: s.reachedThrough !== null && silentNames.has(s.reachedThrough) ? s.reachedThrough : null,
          })),
        },
        intake: {
          lost: count("lost"),
          refused: count("refused") + count("unlisted senders") + count("held: refused, too many"),
          capped: sum("capped"),
          problems: sum("problems"),
          late: sum("late"),
          held: senders.reduce((t, s) => t + s.held, 0),
          spoolBytes: count("spoolBytes"),
        },
        store: {
          records: store.records,
          oldest: store.oldestUs === null ? null : formatUs(store.oldestUs),
          bytes: store.bytes,
          diskFreeBytes: disk ? disk.bavail * disk.bsize : 0,
        },
        jobs: await runningJobs(db, now),
        zone: config.HALVIK_ZONE,
        // by the clock of now: what was measured long ago is not shown as small
        engineBehindSeconds: through > 0 ? Math.max(0, (now - through) / US_PER_SECOND) : null,
      };
    },
  }),
  route({
    method: "get",
    path: "/intake",
    summary: "Endpoints and roles with their counters",
    access: "read",
    answer: Intake,
    handle: async () => {
      const now = nowUs();
      const roles = await readRoles(db);
      return {
        endpoints: (await readEndpoints(db)).map(({ updatedUs, ...e }) => ({
          ...e,
          state: now - updatedUs > FRESH_US ? "no sign of life" : e.state,
          updated: formatUs(updatedUs),
        })),
        roles: roles.map((r) => ({
          role: r.role,
          node: r.node,
          running: isRunning(r, now),
          started: formatUs(r.startedUs),
          heartbeat: formatUs(r.heartbeatUs),
          detail: r.detail,
        })),
        collector: collectorsDetail(roles),
        gaps: roles.flatMap((r) => (r.role === "collector" ? ((r.detail.gaps ?? []) as Intake["gaps"]) : [])),
      };
    },
  }),
];

/** @throws when the database does not answer */
async function healthOf(db: Queryable, now: number, version: string): Promise<HealthDetails> {
  const roles = await readRoles(db);
  const running = roles.map((r) => ({
    role: r.role,
    node: r.node,
    running: isRunning(r, now),
    heartbeat: formatUs(r.heartbeatUs),
  }));
  const collector = collectorsDetail(roles);
  const through = roles.find((r) => r.role === "engine")?.detail.throughUs;
  const troubles = [
    ...running.filter((r) => !r.running).map((r) => `the role ${processName(r.role, r.node)} gives no sign`),
    ...(Number(collector.quarantineBytes ?? 0) > 0 ? ["records lie in quarantine"] : []),
    ...(collector.spooling === true ? ["the collector keeps records on its own disk"] : []),
    ...(await ruleFailures(db)).map((f) => `the rule ${f.ruleId} fails`),
  ];
  // a role is there while any node runs it
  const alive = new Set(running.filter((r) => r.running).map((r) => r.role));
  const isDown = running.some((r) => !alive.has(r.role)) || running.length === 0;
  return {
    state: isDown ? "down" : troubles.length > 0 ? "degraded" : "ok",
    database: true,
    roles: running,
    troubles,
    engineBehindSeconds: typeof through === "number" ? Math.max(0, (now - through) / US_PER_SECOND) : null,
    jobs: await runningJobs(db, now),
    version,
  };
}

/** What all collectors counted, together. */
function collectorsDetail(roles: readonly RoleStatus[]): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const { role, detail } of roles) {
    if (role !== "collector") continue;
    for (const [name, value] of Object.entries(detail))
      out[name] =
        typeof value === "number"
          ? Number(out[name] ?? 0) + value
          : name === "spooling"
            ? out[name] === true || value
            : value;
  }
  return out;
}

const isRunning = (role: RoleStatus, nowUs: number): boolean =>
  agoUs(role.heartbeatUs, nowUs) < FRESH_US && role.detail.stopped !== true;
