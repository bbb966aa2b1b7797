import { createSocket } from "node:dgram";
import { copyFileSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import pg from "pg";
import { nowUs } from "../../kernel/clock.js";
import { connectionOf } from "../../kernel/db/pool.js";
import { freePort } from "../../testing/free-port.js";
import { RoleProcess } from "../../testing/roles.js";
import { TestApi } from "../../testing/test-api.js";
import { eventually, startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { writeEndpoints, writeHeartbeat } from "./repository.js";

/** Several machines that share one database: each says for itself what it does, and Halvik works while one of a role does. */
let instance: TestInstance;
let api: TestApi;
let db: pg.Client;
const STALE_US = 60_000_000;
beforeAll(async () => {
  instance = await startTestInstance();
  api = await TestApi.start(instance);
  db = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await db.connect();
});
afterAll(async () => {
  await api?.close();
  await db?.end();
  await instance?.dispose();
});

const beat = (node: string, ageUs: number, detail: object = {}) => {
  const at = nowUs() - ageUs;
  return writeHeartbeat(db, "collector", node, at, at, detail);
};
const endpoint = (name: string) => ({
  name,
  transport: "udp",
  address: "::",
  port: 5140,
  state: "listening",
  detail: "",
  counters: {},
});

test("what collectors counted is added up, and each of their endpoints is shown", async () => {
  await beat("main", 0, { lost: 2, spooling: false });
  await beat("harbour-2", 0, { lost: 3, spooling: true });
  await writeEndpoints(db, "main", [endpoint("syslog-udp")] as never, nowUs());
  await writeEndpoints(db, "harbour-2", [endpoint("syslog-udp"), endpoint("snmp")] as never, nowUs());
  const { body } = await api.get("/intake");
  expect(body.collector).toMatchObject({ lost: 5, spooling: true });
  expect(body.roles.map((r: { node: string }) => r.node).sort()).toEqual(["harbour-2", "main"]);
  // what one no longer holds goes, the other's stay
  await writeEndpoints(db, "harbour-2", [endpoint("snmp")] as never, nowUs());
  expect(
    (await api.get("/intake")).body.endpoints.map((e: { name: string; node: string }) => `${e.name} ${e.node}`),
  ).toEqual(["snmp harbour-2", "syslog-udp main"]);
  expect((await api.get("/summary")).body.lost).toBe(5);
});

test("one of two that gives no sign is a trouble, both are an outage", async () => {
  await beat("main", 0);
  await beat("harbour-2", STALE_US);
  expect((await api.get("/health")).body).toMatchObject({
    state: "degraded",
    troubles: ["the role collector on harbour-2 gives no sign"],
  });
  await beat("main", STALE_US);
  expect((await api.get("/health")).body.state).toBe("down");
});

test("two collectors store into one database, each under its own name and number", async () => {
  await db.query("insert into admitted_network (network, added_by, added_us) values ('127.0.0.0/8', 'test', 0)");
  const ports = ["SYSLOG_UDP", "SYSLOG_TCP", "SYSLOG_TLS", "SNMP", "NETFLOW", "IPFIX", "SFLOW", "INTAKE"];
  const other = mkdtempSync(join(tmpdir(), "halvik-node-"));
  copyFileSync(join(instance.config.HALVIK_DATA_DIR, "secrets.json"), join(other, "secrets.json"));
  const env: NodeJS.ProcessEnv = { ...instance.env, HALVIK_NODE: "harbour-2", HALVIK_DATA_DIR: other };
  for (const name of ports) Object.assign(env, { [`HALVIK_${name}_PORT`]: String(await freePort()) });
  // endpoints take their ports from the settings of the node they run on
  const collectors: RoleProcess[] = [];
  const socket = createSocket("udp4");
  const send = (port: string | undefined, line: string) =>
    new Promise<void>((sent) => socket.send(line, Number(port), "127.0.0.1", () => sent()));
  try {
    collectors.push(await RoleProcess.start(instance, "collector"));
    collectors.push(await RoleProcess.start({ ...instance, env }, "collector"));
    await send(instance.env.HALVIK_SYSLOG_UDP_PORT, "<14>a: by the first");
    await send(env.HALVIK_SYSLOG_UDP_PORT, "<14>a: by the second");
    const { rows } = await eventually(
      "both are stored",
      () =>
        db.query<{ name: string; number: number; batches: number }>(
          "select c.name, c.number, count(*)::int as batches from collector c join batch b on b.collector = c.number where b.rows > 0 group by 1, 2 order by 1",
        ),
      ({ rows }) => rows.length === 2,
    );
    expect(rows.map((r) => r.name)).toEqual(["collector", "collector on harbour-2"]);
    expect(new Set(rows.map((r) => r.number)).size).toBe(2);
    const { body } = await api.get("/records?filter=by");
    expect(body.records.map((r: { text: string }) => r.text).sort()).toEqual(["by the first", "by the second"]);
    await eventually(
      "each shows its endpoints",
      async () => (await api.get("/intake")).body.endpoints,
      (endpoints: { node: string; state: string }[]) =>
        ["main", "harbour-2"].every((node) => endpoints.some((e) => e.node === node && e.state === "listening")),
    );
  } finally {
    socket.close();
    for (const collector of collectors) await collector.stop();
    rmSync(other, { recursive: true, force: true });
  }
});

test("of the engine one works at a time: a second waits, and takes over where the first is killed", async () => {
  const other: NodeJS.ProcessEnv = { ...instance.env, HALVIK_NODE: "harbour-2" };
  const engines = async () =>
    (
      await db.query<{ node: string; pid: number }>(
        "select node, pid from role_status where role = 'engine' order by heartbeat_us desc",
      )
    ).rows;
  const first = await RoleProcess.start(instance, "engine");
  const running: RoleProcess[] = [first];
  try {
    await eventually("the first works", engines, (all) => all[0]?.pid === first.child.pid);
    const second = await RoleProcess.start({ ...instance, env: other }, "engine");
    running.push(second);
    // long enough for it to have begun, had the place been free
    await new Promise((resolve) => setTimeout(resolve, 1_500));
    expect(await engines()).toMatchObject([{ node: "main", pid: first.child.pid }]);
    await first.kill();
    await eventually("the second takes over", engines, (all) => all[0]?.pid === second.child.pid);
    // the one that went is not held against the one that came
    const { body } = await api.get("/health");
    expect(body.roles.filter((r: { role: string }) => r.role === "engine")).toMatchObject([
      { node: "harbour-2", running: true },
    ]);
  } finally {
    for (const engine of running.slice(1)) await engine.stop();
    if (running.length === 1) await first.stop();
  }
});
