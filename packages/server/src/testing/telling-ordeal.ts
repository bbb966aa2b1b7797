import { readFileSync } from "node:fs";
import { join } from "node:path";
import { formatUs } from "@halvik/core/base/time";
import { Channel, NotifyRoute, TOGETHER_FROM } from "@halvik/core/respond/notify";
import { Random } from "@halvik/simulator";
import pg from "pg";
import { startSnmpSink, startSyslogSink } from "../domains/notifications/datagram-sinks.js";
import { startHookSink } from "../domains/notifications/hook-sink.js";
import { simpleParser } from "../domains/notifications/mail-sink/parse-mail.js";
import { sinkFiles, startMailSink } from "../domains/notifications/mail-sink/sink.js";
import { insertRoute } from "../domains/notifications/repository.js";
import { saveChannel } from "../domains/notifications/settings-repository.js";
import { nowUs } from "../kernel/clock.js";
import { mailSinkDir, notifyLogDir } from "../kernel/config/data-dir.js";
import { connectionOf } from "../kernel/db/pool.js";
import { RoleProcess, TestDevice } from "./roles.js";
import { runInside } from "./run-inside.js";
import { eventually, startTestInstance, type TestInstance } from "./test-database.js";

/** What engine and notifier were put through, and what the receivers of every channel got of it. */
export interface NotifyingResult {
  readonly kills: number;
  readonly seconds: number;
  readonly happenings: number;
  /** Raise, worse and clear of each happening by each way: so many there should be, so many did not come. */
  readonly expected: number;
  readonly missing: readonly string[];
  /** Deliveries that came again, each under the id it had; and ids that came with another content. */
  readonly repeats: number;
  readonly confused: number;
}

interface Got {
  readonly way: string;
  readonly id: string;
  readonly tells: string;
  readonly host: string;
}

const WAYS = ["mail", "hook", "syslog", "snmp", "file"];
const SECRET = "harbour wall";
const NOTIFIED_CHANGES = ["raise", "worse", "clear"];
const SNMP_PORT_BASE = 30_000;
const SNMP_PORTS = 20_000;

const RULE = `id: lamp-out
name: A lamp is out
kind: count
severity: error
filter: app is lamp and text has out
key: [host]
count: 1
windowSeconds: 3600
worse: [{count: 4, severity: critical}]
title: "the lamp of {host} is out"
entities: [host]
clear: {by: record, filter: app is lamp and text has lit, key: [host]}
`;

/**
 * Real packets of lamps that go out, worse, and are lit again, while engine and notifier are killed as a seed decides; stand-in receivers of every channel
 * take what comes. @param kills how often in all
 */
export async function notifyingOrdeal(
  seed: number,
  kills: number,
  say: (text: string) => void = () => undefined,
): Promise<NotifyingResult> {
  const instance = await startTestInstance();
  const got: Got[] = [];
  const hostOf = (text: string) => /lamp of (lamp-\d+)/.exec(text)?.[1] ?? "";
  const hear = (way: string, id: string, tells: string, text: string) => {
    if (hostOf(text) !== "") got.push({ way, id, tells: tells === "update" ? "worse" : tells, host: hostOf(text) });
  };
  const { config, env } = instance;
  env.HALVIK_SMTP_URL = `smtp://127.0.0.1:${config.HALVIK_MAIL_SINK_PORT}`;
  env.HALVIK_NOTIFY_NETWORKS = "127.0.0.1";
  const stopMail = await startMailSink(config.HALVIK_DATA_DIR, config.HALVIK_MAIL_SINK_PORT);
  const hook = await startHookSink(0, SECRET, ({ id, body }) => {
    const { tells, subject } = JSON.parse(body) as { tells: string; subject: string };
    hear("hook", id, tells, subject);
  });
  const syslog = await startSyslogSink(0, (h) => hear("syslog", h.id, h.tells, h.text));
  const snmpPort = SNMP_PORT_BASE + (process.pid % SNMP_PORTS);
  const snmp = startSnmpSink(
    snmpPort,
    { community: SECRET },
    (h) => hear("snmp", h.id, h.tells, h.text),
    () => undefined,
  );
  const roles: Record<string, RoleProcess> = {};
  const devices: TestDevice[] = [];
  const db = new pg.Pool({ ...connectionOf(config, instance.secrets, "owner"), max: 2 });
  try {
    await setUp(instance, db, { hook: hook.port, syslog: syslog.port, snmp: snmpPort });
    for (const role of ["collector", "engine", "notifier"] as const)
      roles[role] = await RoleProcess.start(instance, role);
    const r = new Random(seed, "telling");
    const began = performance.now();
    const killing = kill(instance, roles, r, kills, say);
    let over = false;
    void killing.finally(() => {
      over = true;
    });
    const hosts: string[] = [];
    // fewer at once than go together in one message, which names none of them in its subject
    const lanes = Array.from({ length: TOGETHER_FROM - 1 }, async () => {
      while (!over) {
        const host = `lamp-${hosts.length + 1}`;
        const device = new TestDevice(`127.0.1.${(hosts.length % DEVICES) + 1}`, instance);
        hosts.push(host);
        devices.push(device);
        await live(db, device, host);
      }
    });
    await killing;
    await Promise.all(lanes);
    await eventually(
      "nothing waits",
      async () => (await db.query("select * from delivery where state = 'waiting'")).rows,
      (rows) => rows.length === 0,
      SETTLED_MS,
    );
    await addMails(instance, hear);
    addLines(instance, hear);
    return { kills, seconds: Math.round((performance.now() - began) / 1_000), ...recount(hosts, got) };
  } finally {
    for (const device of devices) device.close();
    for (const role of Object.values(roles)) await role.kill().catch(() => undefined);
    await Promise.all([stopMail(), hook.stop(), syslog.stop(), snmp.stop()]);
    await db.end();
    await instance.dispose();
  }
}

const DEVICES = 200;
const SETTLED_MS = 120_000;

async function setUp(
  instance: TestInstance,
  db: pg.Pool,
  ports: { readonly hook: number; readonly syslog: number; readonly snmp: number },
): Promise<void> {
  const senders = Array.from({ length: DEVICES }, (_, i) => `post-${i + 1},127.0.1.${i + 1},no,,,,UTC,,,`);
  const head = "name,addresses,relay,site,groups,role,zone,reached through,expected every seconds,notes";
  await runInside(instance.env, ["senders", "import", "-"], `${head}\n${senders.join("\n")}\n`);
  const rule = await runInside(instance.env, ["rules", "import", "-"], RULE);
  if (rule.code !== 0) throw new Error(rule.err);
  const channels = [];
  for (const channel of [
    { kind: "webhook", name: "hook", url: `http://127.0.0.1:${ports.hook}/` },
    { kind: "syslog", name: "syslog", host: "127.0.0.1", port: ports.syslog, transport: "tcp" },
    { kind: "snmp", name: "snmp", host: "127.0.0.1", port: ports.snmp, message: "inform" },
    { kind: "file", name: "file", file: "told.log" },
  ]) {
    const secrets = { secret: SECRET, privacySecret: null };
    channels.push(await saveChannel(db, null, Channel.parse(channel), secrets, "trial", nowUs()));
  }
  const route = { name: "duty", to: ["duty@orvane.example"], channels, rules: ["lamp-out"], mostPerHour: 1_000 };
  await insertRoute(db, NotifyRoute.parse(route), "trial", nowUs());
}

/** Kills one role after another, at moments of its own, and starts it again as the supervisor does. */
async function kill(
  instance: TestInstance,
  roles: Record<string, RoleProcess>,
  r: Random,
  kills: number,
  say: (text: string) => void,
): Promise<void> {
  for (let i = 0; i < kills; i++) {
    await pause(r.int(50, 1_500));
    const role = r.pick(["engine", "notifier"] as const);
    await roles[role]!.kill();
    roles[role] = await RoleProcess.start(instance, role);
    if ((i + 1) % 10 === 0) say(`${i + 1} of ${kills} kills`);
  }
}

/** A lamp goes out; when that was told it gets worse; when that was told it is lit. Each is waited for, or they were one message. */
async function live(db: pg.Pool, device: TestDevice, host: string): Promise<void> {
  const send = (text: string) => device.send(`<27>1 ${formatUs(nowUs())} ${host} lamp - - - ${text}`);
  const told = (what: string, tells: string) =>
    eventually(
      `${what} of ${host}`,
      async () => {
        const { rows } = await db.query<{ state: string; why: string; channel: number | null }>(
          `select d.state, d.why, d.channel from delivery d join incident i on i.id = d.incident
           where i.title like '%' || $1 || ' is out%' and d.tells = $2`,
          [host, tells],
        );
        return rows;
      },
      (rows) => rows.length >= WAYS.length && rows.every((d) => d.state === "sent"),
      SETTLED_MS,
    );
  await send("it is out");
  await told("the raise", "raise");
  for (let i = 0; i < 4; i++) await send(`it is out, ${i}`);
  await told("that it is worse", "update");
  await send("it is lit");
  await told("the end", "clear");
}

async function addMails({ config }: TestInstance, hear: (w: string, id: string, t: string, x: string) => void) {
  for (const file of sinkFiles(config.HALVIK_DATA_DIR)) {
    const mail = await simpleParser(readFileSync(join(mailSinkDir(config.HALVIK_DATA_DIR), file)));
    const tells = /Halvik · (raised|worse|over): /.exec(mail.subject ?? "")?.[1] ?? "";
    const names: Readonly<Record<string, string>> = { raised: "raise", worse: "worse", over: "clear" };
    hear("mail", mail.messageId ?? "", names[tells] ?? tells, mail.subject ?? "");
  }
}

function addLines({ config }: TestInstance, hear: (w: string, id: string, t: string, x: string) => void) {
  for (const line of readFileSync(join(notifyLogDir(config), "told.log"), "utf8").split("\n")) {
    if (!line.endsWith("}")) continue;
    const { id, tells, subject } = JSON.parse(line) as { id: string; tells: string; subject: string };
    hear("file", id, tells, subject);
  }
}

function recount(hosts: readonly string[], got: readonly Got[]) {
  const wanted = hosts.flatMap((host) =>
    WAYS.flatMap((way) => NOTIFIED_CHANGES.map((tells) => `${way} ${tells} ${host}`)),
  );
  const came = new Map<string, Set<string>>();
  const content = new Map<string, Set<string>>();
  const add = (to: Map<string, Set<string>>, key: string, value: string) =>
    to.set(key, (to.get(key) ?? new Set()).add(value));
  for (const { way, id, tells, host } of got) {
    add(came, `${way} ${tells} ${host}`, id);
    add(content, `${way} ${id}`, `${tells} ${host}`);
  }
  return {
    happenings: hosts.length,
    expected: wanted.length,
    missing: wanted.filter((w) => !came.has(w)),
    repeats: got.length - content.size,
    // one telling under several ids, or one id for several tellings
    confused: [...came.values(), ...content.values()].filter((all) => all.size > 1).length,
  };
}

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
