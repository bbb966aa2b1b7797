import { readFileSync } from "node:fs";
import { join } from "node:path";
import { Random } from "@halvik/simulator";
import pg from "pg";
import { connectionOf } from "../kernel/db/pool.js";
import { postRecords } from "./intake-client.js";
import { RoleProcess } from "./roles.js";
import { runInside } from "./run-inside.js";
import { eventually, startTestInstance, type TestInstance } from "./test-database.js";

/** What was done to a running Halvik, and what became of what was sent meanwhile. */
export interface OrdealResult {
  readonly disturbances: Readonly<Record<string, number>>;
  readonly seconds: number;
  /** Records that were answered for as stored, those there are, and those that are there more than once. */
  readonly answered: number;
  readonly missing: number;
  readonly twice: number;
  /** Attacks sent, those found as just one finding, and those of them with just as many records as were sent. */
  readonly attacks: number;
  readonly found: number;
  readonly exact: number;
}

const PER_REQUEST = 20;
const PER_ATTACK = 12;
/** Every so many requests bring an attack of their own. */
const ATTACK_EVERY = 8;

/** Kills, stops and starves a Halvik while known records are brought to it, as a seed decides, and recounts. */
export async function ordeal(
  seed: number,
  times: number,
  say: (text: string) => void = () => undefined,
): Promise<OrdealResult> {
  const instance = await startTestInstance();
  const roles = {
    collector: await RoleProcess.start(instance, "collector"),
    engine: await RoleProcess.start(instance, "engine"),
  };
  let sender: Sender | null = null;
  try {
    await runInside(
      instance.env,
      ["senders", "import", "-"],
      "name,addresses,relay,site,groups,role,zone,reached through,expected every seconds,notes\nforwarder,127.0.0.1,no,,,,UTC,,,\n",
    );
    const token = (await runInside(instance.env, ["token", "create", "ordeal", "--intake"])).out.trim();
    const started = performance.now();
    sender = new Sender(instance, token);
    const sending = sender.run();
    const r = new Random(seed, "ordeal");
    const done: Record<string, number> = {};
    for (let i = 0; i < times; i++) {
      await pause(r.int(200, 1_500));
      const what = r.pick(DISTURBANCES);
      done[what] = (done[what] ?? 0) + 1;
      say(`${i + 1} of ${times}: ${what}`);
      await disturb(what, instance, roles, r.int(300, 3_000));
    }
    await pause(1_000);
    sender.stop();
    await sending;
    return {
      disturbances: done,
      seconds: Math.round((performance.now() - started) / 1_000),
      ...(await recount(instance, sender)),
    };
  } finally {
    sender?.stop();
    await roles.engine.kill().catch(() => undefined);
    await roles.collector.kill().catch(() => undefined);
    await instance.dispose();
  }
}

const DISTURBANCES = [
  "collector killed",
  "engine killed",
  "PostgreSQL killed",
  "PostgreSQL stopped",
  "PostgreSQL hanging",
  "collector stopped in order",
  "collector killed while PostgreSQL is away",
] as const;

async function disturb(
  what: (typeof DISTURBANCES)[number],
  instance: TestInstance,
  roles: { collector: RoleProcess; engine: RoleProcess },
  ms: number,
): Promise<void> {
  const { cluster } = instance;
  const postmaster = () =>
    Number(readFileSync(join(instance.config.HALVIK_DATA_DIR, "postgres", "postmaster.pid"), "utf8").split("\n")[0]);
  // as the supervisor does: what it left of memory may be in use for a moment yet
  const revive = () =>
    eventually(
      "PostgreSQL",
      async () => {
        if (!cluster.isAlive()) await cluster.start();
        return cluster.isAlive();
      },
      (up) => up,
    );
  switch (what) {
    case "collector killed":
      await roles.collector.kill();
      roles.collector = await RoleProcess.start(instance, "collector");
      return;
    case "collector stopped in order":
      await roles.collector.stop();
      roles.collector = await RoleProcess.start(instance, "collector");
      return;
    case "engine killed":
      await roles.engine.kill();
      roles.engine = await RoleProcess.start(instance, "engine");
      return;
    case "PostgreSQL killed":
      await revive();
      signal(postmaster(), "SIGKILL");
      await pause(ms);
      await revive();
      return;
    case "PostgreSQL stopped":
      await cluster.stop();
      await pause(ms);
      await revive();
      return;
    case "PostgreSQL hanging": {
      await revive();
      const pid = postmaster();
      const all = [pid, ...childrenOf(pid)];
      for (const p of all) signal(p, "SIGSTOP");
      await pause(ms);
      for (const p of all) signal(p, "SIGCONT");
      return;
    }
    case "collector killed while PostgreSQL is away":
      await revive();
      signal(postmaster(), "SIGKILL");
      await pause(ms / 2);
      await roles.collector.kill();
      roles.collector = await RoleProcess.start(instance, "collector");
      await pause(ms / 2);
      await revive();
      return;
  }
}

/** Brings numbered records until each is answered for; what is not answered is sent again, under its key. */
class Sender {
  answered = 0;
  readonly attacks: string[] = [];
  private stopping = false;

  constructor(
    private readonly instance: TestInstance,
    private readonly token: string,
  ) {}

  stop(): void {
    this.stopping = true;
  }

  async run(): Promise<void> {
    for (let request = 0; !this.stopping; request++) {
      const attack = request % ATTACK_EVERY === 0 ? this.nextAttack() : null;
      const records =
        attack === null
          ? Array.from({ length: PER_REQUEST }, (_, i) => ({ message: `ordeal ${this.answered + i}.` }))
          : Array.from({ length: PER_ATTACK }, (_, i) => ({
              message: `refused ${i}`,
              category: "logon",
              outcome: "failure",
              src: attack,
              user: `u${i % 4}`,
            }));
      await this.bring(records, `request ${request}`);
      if (attack === null) this.answered += records.length;
      else this.attacks.push(attack);
      await pause(10);
    }
  }

  private nextAttack(): string {
    const n = this.attacks.length;
    return `198.18.${n >> 8}.${n & 255}`;
  }

  private async bring(records: readonly object[], key: string): Promise<void> {
    const body = records.map((r) => JSON.stringify(r)).join("\n");
    for (;;) {
      try {
        const answer = await postRecords(
          this.instance.config.HALVIK_INTAKE_PORT,
          "/json",
          body,
          { authorization: `Bearer ${this.token}`, "idempotency-key": key },
          10_000,
        );
        if (answer.status === 200 && answer.body.stored === records.length) return;
      } catch {
        // killed under the request, or not there: it is asked again
      }
      await pause(100);
    }
  }
}

async function recount(
  instance: TestInstance,
  sender: Sender,
): Promise<Pick<OrdealResult, "answered" | "missing" | "twice" | "attacks" | "found" | "exact">> {
  const db = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await db.connect();
  try {
    const texts = async () => {
      const { rows } = await db.query<{ name: string }>("select name from segment where shape = 'record'");
      const parts = rows.map((r) => `select message from segments.${r.name} where message like 'ordeal %'`);
      return (await db.query<{ message: string }>(parts.join(" union all "))).rows.map((r) => r.message);
    };
    const stored = await eventually("every record", texts, (t) => new Set(t).size >= sender.answered, 60_000).catch(
      texts,
    );
    const found = async () =>
      (
        await db.query<{ key: string; n: number; count: number }>(
          "select key, count(*)::int as n, max(count)::int as count from finding where rule_id = 'refused-logons' group by key",
        )
      ).rows;
    const wanted = (f: { n: number; count: number }) => f.n === 1 && f.count === PER_ATTACK;
    const findings = await eventually(
      "every attack",
      found,
      (f) => f.filter(wanted).length >= sender.attacks.length,
      60_000,
    ).catch(found);
    return {
      answered: sender.answered,
      missing: sender.answered - new Set(stored).size,
      twice: stored.length - new Set(stored).size,
      attacks: sender.attacks.length,
      found: findings.filter((f) => f.n === 1).length,
      exact: findings.filter(wanted).length,
    };
  } finally {
    await db.end();
  }
}

function childrenOf(pid: number): number[] {
  try {
    return readFileSync(`/proc/${pid}/task/${pid}/children`, "utf8").trim().split(" ").filter(Boolean).map(Number);
  } catch {
    return [];
  }
}

function signal(pid: number, name: NodeJS.Signals): void {
  try {
    process.kill(pid, name);
  } catch {
    // it ended by itself
  }
}

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
