import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import type { ReportKept, ReportMade } from "@halvik/contract/reports";
import { US_PER_DAY, US_PER_MINUTE } from "@halvik/core/base/time";
import { RoleProcess, runCommand } from "../packages/server/src/testing/roles.js";
import { percentile, sayMachine } from "./harness.js";
import { openStore, STORE_DAYS, STORE_ENDS_MINUTE } from "./store.js";

/**
 * A report of twelve parts over all days of a store, and a board of twelve tiles that is refreshed as if every answer were a new one.
 * Usage: node scripts/bench.mjs board DIR [MILLIONS]
 */
const REFRESHES = 30;
const EVERY_SECONDS = 10;
const TICKS_PER_SECOND = 100;

const records = (filter: string, by: object[] = [], more: object = {}) => ({ filter, by, ...more });
const field = (name: string) => ({ field: name });
/** What rollups answer: counts by kind, severity, sender, its traits and the clock. */
const BY_ROLLUPS = [
  { is: "figure", title: "Records", measure: records("") },
  { is: "figure", title: "Errors", measure: records("severity at least error") },
  { is: "figure", title: "By the second", measure: records("", [], { perSecond: true }) },
  { is: "figure", title: "Share of errors", measure: { figure: { of: "share", filter: "severity at least error" } } },
  { is: "course", title: "Over time", measure: records("") },
  { is: "course", title: "Errors over time", measure: records("severity at least error") },
  { is: "profile", title: "By severity", measure: records("", [field("severity")]) },
  { is: "profile", title: "By kind", measure: records("", [field("kind")]) },
  { is: "bars", title: "By sender", measure: records("", [field("sender")]) },
  { is: "bars", title: "By site", measure: records("", [{ sender: "site" }]) },
  { is: "table", title: "By sender and kind", measure: records("", [field("sender"), field("kind")], { top: 20 }) },
  { is: "hours of the week", title: "Hours", measure: {} },
];
/** The same with four that need terms or records. */
const MIXED = [
  ...BY_ROLLUPS.slice(0, 8),
  {
    is: "bars",
    title: "Refused accounts",
    measure: records("category is logon and outcome is failure", [field("user")]),
  },
  { is: "bars", title: "Refused sources", measure: records("action in deny, reject", [field("src")]) },
  {
    is: "figure",
    title: "Accounts",
    measure: { figure: { of: "distinct", values: field("user") }, filter: "category is logon" },
  },
  { is: "table", title: "Programs", measure: records("kind is syslog", [field("app")], { top: 20 }) },
];

sayMachine();
const instance = await openStore(process.argv[2]!, Number(process.argv[3] ?? 20));
const web = await RoleProcess.start(instance, "web");
try {
  const made = await runCommand(instance.env, ["token", "create", `bench-${Date.now()}`, "--act"]);
  const token = /hv_\S+/.exec(made.out)![0];
  const base = `http://127.0.0.1:${instance.config.HALVIK_HTTP_PORT}/api/v1`;
  const ask = async <T>(method: string, path: string, body?: object): Promise<T> => {
    const answer = await fetch(base + path, {
      method,
      headers: { authorization: `Bearer ${token}`, "content-type": "application/json" },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const text = await answer.text();
    if (!answer.ok) throw new Error(`${method} ${path}: ${answer.status} ${text}`);
    return JSON.parse(text) as T;
  };
  const iso = (us: number) => new Date(us / 1_000).toISOString();
  const endUs = STORE_ENDS_MINUTE * US_PER_MINUTE;
  for (const [what, parts] of [
    ["answered by rollups", BY_ROLLUPS],
    ["four of them by terms and records", MIXED],
  ] as const) {
    const report = {
      name: `Bench ${what} ${Date.now()}`,
      period: { last: STORE_DAYS, unit: "day", whole: true },
      parts,
    };
    const { id } = await ask<ReportKept>("POST", "/reports", report);
    const took: number[] = [];
    for (let n = 0; n < 3; n++) {
      const started = performance.now();
      const { runs } = await ask<ReportKept>("POST", `/reports/${id}/runs`, { at: iso(endUs), zone: "UTC" });
      took.push(performance.now() - started);
      if (n > 0) continue;
      const whole = await ask<ReportMade>("GET", `/reports/${id}/runs/${runs[0]!.id}`);
      const open = whole.parts.flatMap((p) =>
        p.is === "failed"
          ? [`${p.title}: ${p.why}`]
          : p.is === "measured" && !p.measured.complete
            ? [`${p.title}: at least`]
            : [],
      );
      console.log(`${what}: ${whole.parts.length} parts${open.length === 0 ? ", all whole" : `; ${open.join("; ")}`}`);
    }
    console.log(
      `report over ${STORE_DAYS} days, ${what}: ${took.map((t) => `${(t / 1_000).toFixed(2)} s`).join(", ")}`,
    );
  }
  const postmaster = Number(
    readFileSync(join(instance.config.HALVIK_DATA_DIR, "postgres", "postmaster.pid"), "utf8").split("\n")[0],
  );
  const before = { web: cpuOf(web.child.pid!), postgres: cpuOfTree(postmaster) };
  const latencies: number[] = [];
  for (let n = 0; n < REFRESHES; n++) {
    // ends of long windows are whole minutes
    const toUs = endUs - (REFRESHES - n) * US_PER_MINUTE;
    const window = { from: iso(toUs - US_PER_DAY), to: iso(toUs) };
    await Promise.all(
      BY_ROLLUPS.map(async (shows) => {
        const started = performance.now();
        await ask("POST", "/boards/tile", { shows, ...window, zone: "UTC" });
        latencies.push(performance.now() - started);
      }),
    );
  }
  const used = (now: number, then: number) => ((now - then) / TICKS_PER_SECOND / REFRESHES) * 1_000;
  const webMs = used(cpuOf(web.child.pid!), before.web);
  const pgMs = used(cpuOfTree(postmaster), before.postgres);
  latencies.sort((a, b) => a - b);
  console.log(
    `twelve tiles over 24 h, each refresh made anew: ${webMs.toFixed(0)} ms of the web process and ${pgMs.toFixed(0)} ms of PostgreSQL; a tile p50 ${percentile(latencies, 0.5).toFixed(0)} ms, p95 ${percentile(latencies, 0.95).toFixed(0)} ms`,
  );
  const share = (seconds: number) => `${((webMs + pgMs) / 10 / seconds).toFixed(1)} %`;
  console.log(
    `of a core: ${share(EVERY_SECONDS)} made anew every ${EVERY_SECONDS} s; ${share(30)} as answers over a day are kept (30 s)`,
  );
} finally {
  await web.stop();
  await instance.dispose();
}

/** Ticks of processor that a process has used (proc(5), stat 14 and 15). */
function cpuOf(pid: number): number {
  try {
    const fields = readFileSync(`/proc/${pid}/stat`, "utf8").split(") ")[1]!.split(" ");
    return Number(fields[11]) + Number(fields[12]);
  } catch {
    return 0;
  }
}

/** The same of a process and of those that it began, the ended ones among them. */
function cpuOfTree(pid: number): number {
  const fields = readFileSync(`/proc/${pid}/stat`, "utf8").split(") ")[1]!.split(" ");
  const ended = Number(fields[13]) + Number(fields[14]);
  const children = readdirSync("/proc").filter((p) => {
    if (!/^\d+$/.test(p)) return false;
    try {
      return Number(readFileSync(`/proc/${p}/stat`, "utf8").split(") ")[1]!.split(" ")[1]) === pid;
    } catch {
      return false;
    }
  });
  return cpuOf(pid) + ended + children.reduce((sum, p) => sum + cpuOf(Number(p)), 0);
}
