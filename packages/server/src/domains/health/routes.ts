import { Health, type HealthDetails, Intake, Summary } from "@halvik/contract/status";
import { formatUs, US_PER_SECOND } from "@halvik/core/base/time";
import { agoUs, nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool, Queryable } from "../../kernel/db/pool.js";
import { NOBODY, route } from "../../kernel/http/route.js";
import { processName } from "../../kernel/node.js";
import { runningJobs } from "../intake/imports/repository.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { ruleFailures } from "../rules/failures-repository.js";
import { collectorsDetail, type RoleStatus, readEndpoints, readRoles } from "./repository.js";
import { summaryOf } from "./summary.js";

const FRESH_US = 15 * US_PER_SECOND;

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
    handle: async () => summaryOf({ db, directory: await directory.get(), config }, nowUs()),
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

const isRunning = (role: RoleStatus, nowUs: number): boolean =>
  agoUs(role.heartbeatUs, nowUs) < FRESH_US && role.detail.stopped !== true;
