import { createServer, type Server } from "node:net";
import type { CloseReason, HistoryCode } from "@halvik/core/respond/incidents";
import { NotifyRoute } from "@halvik/core/respond/notify";
import type pg from "pg";
import { nowUs } from "../../kernel/clock.js";
import { connectionOf, createPool } from "../../kernel/db/pool.js";
import { addEvent } from "../../kernel/db/unit-of-work.js";
import { RoleProcess } from "../../testing/roles.js";
import { eventually, startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { readSink } from "./mail-sink/read-sink.js";
import { startMailSink } from "./mail-sink/sink.js";
import { changeRoute, insertRoute, latestDeliveries } from "./repository.js";

/** The notifier as a real process, a real PostgreSQL, and mail over real SMTP to the stand-in server. */
const S = 1e6;
let instance: TestInstance;
let db: pg.Pool;
let stopSink: () => Promise<void>;
let notifier: RoleProcess;
let sinkPort: number;

beforeAll(async () => {
  instance = await startTestInstance();
  sinkPort = instance.config.HALVIK_MAIL_SINK_PORT;
  instance.env.HALVIK_SMTP_URL = `smtp://127.0.0.1:${sinkPort}`;
  instance.env.HALVIK_PUBLIC_URL = "https://halvik.orvane.example/";
  db = createPool(connectionOf(instance.config, instance.secrets, "owner"), 2, 10_000);
  stopSink = await startMailSink(instance.config.HALVIK_DATA_DIR, sinkPort);
  notifier = await RoleProcess.start(instance, "notifier");
}, 240_000);
afterAll(async () => {
  await notifier?.stop();
  await stopSink?.();
  await db?.end();
  await instance?.dispose();
});
afterEach(async () => {
  await db.query("delete from notify_route");
});

let made = 0;
/** An incident with a finding, as the engine writes them. */
async function incident(title: string, { severity = 3, ago = 0 } = {}): Promise<number> {
  const now = nowUs() - ago * S;
  const { rows } = await db.query<{ id: number }>(
    `insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count, entities)
     values ($1, $2, 'open', 'refused-logons', 1, $3, $4, $4, $4, 11, $5) returning id`,
    [title, severity, `k${++made}`, now, [`src\u0001203.0.113.${made}`]],
  );
  const id = rows[0]!.id;
  await db.query(
    `insert into finding (incident, rule_id, lane, key, first_us, last_us, raised_us, count, evidence_first, evidence_latest, entities)
     values ($1, 'refused-logons', 'live', $2, $3, $3, $3, 11, '[]', '[]', '{}')`,
    [id, `k${made}`, now],
  );
  return id;
}
const happens = (id: number, code: HistoryCode, detail = "", reason: CloseReason | null = null) =>
  addEvent(db, id, nowUs(), "Halvik", code, detail, reason);
const route = (over: object = {}) =>
  insertRoute(db, NotifyRoute.parse({ name: "duty", to: ["duty@orvane.example"], ...over }), "me", nowUs());
const mailAbout = async (text: string) =>
  (await readSink(instance.config.HALVIK_DATA_DIR, 200)).filter((m) => m.subject.includes(text));
const deliveriesOf = async (id: number) =>
  (await latestDeliveries(db, 500))
    .filter((d) => d.incident === id)
    .map((d) => `${d.tells} ${d.state} ${d.why}`.trim());
/** What was sent is noted when the server has taken it, which is after it can be read there. */
const noted = (id: number, deliveries: readonly string[]) =>
  eventually(
    "noted",
    () => deliveriesOf(id),
    (all) => all.join() === deliveries.join(),
  );

test("a raise and its clear are mailed to whom the route names, in one conversation, with what to look at", async () => {
  await route();
  const id = await incident("Guessing at vpn-1");
  await happens(id, "raised");
  const [raise] = await eventually(
    "mail",
    () => mailAbout("raised: Guessing at vpn-1"),
    (m) => m.length === 1,
  );
  expect(raise).toMatchObject({ to: "duty@orvane.example", from: expect.stringContaining("halvik@") });
  expect(raise!.text).toContain(`https://halvik.orvane.example/incidents/${id}`);
  expect(raise!.text).toContain("11 records");
  await db.query("update incident set state = 'cleared', ended_us = $2 where id = $1", [id, nowUs()]);
  await happens(id, "cleared", "quiet for 15 min");
  const [clear] = await eventually(
    "mail",
    () => mailAbout("over: Guessing at vpn-1"),
    (m) => m.length === 1,
  );
  expect(clear!.text).toContain("cleared (quiet for 15 min)");
  await noted(id, ["clear sent", "raise sent"]);
});

test("what is seen or over within the delay is not mailed, and neither is its end; the log says why", async () => {
  await route({ delaySeconds: 2 });
  const [seen, over] = [await incident("seen in time"), await incident("over in time")];
  await happens(seen, "raised");
  await happens(over, "raised");
  await db.query("update incident set acknowledged_by = 'me', acknowledged_us = $2 where id = $1", [seen, nowUs()]);
  await db.query("update incident set state = 'cleared', ended_us = $2 where id = $1", [over, nowUs()]);
  await happens(over, "cleared");
  await eventually(
    "the log",
    async () => [...(await deliveriesOf(seen)), ...(await deliveriesOf(over))],
    (d) => d.join() === "raise dropped seen meanwhile,raise dropped over before it was sent",
  );
  expect(await mailAbout("in time")).toEqual([]);
});

test("a milder incident, and evidence of imported history, are told to nobody", async () => {
  await route();
  const [mild, old, told] = [
    await incident("mild one", { severity: 5 }),
    await incident("of history", { ago: 7_200 }),
    await incident("after them"),
  ];
  // both in one step of the notifier: that it explains others is as old as what raised it
  await db.query("begin");
  await happens(old, "raised");
  await happens(old, "explains");
  await db.query("commit");
  for (const id of [mild, told]) await happens(id, "raised");
  await eventually(
    "mail",
    () => mailAbout("after them"),
    (m) => m.length === 1,
  );
  expect([...(await deliveriesOf(mild)), ...(await deliveriesOf(old))]).toEqual([]);
});

test("a storm of incidents makes few messages: together, and no more an hour than the route says", async () => {
  const id = await route({ name: "bounded", mostPerHour: 2 });
  const storm = await Promise.all(Array.from({ length: 40 }, (_, i) => incident(`storm ${i}`)));
  for (const one of storm) await happens(one, "raised");
  const late = async () => (await latestDeliveries(db, 500)).filter((d) => d.route === id);
  await eventually("40 messages", late, (d) => d.length === 40 && d.filter((x) => x.state === "sent").length >= 4);
  for (let i = 0; i < 10; i++) await happens(await incident(`more ${i}`), "raised");
  await eventually("50 messages", late, (d) => d.length === 50);
  // some time in which more could be sent
  await new Promise((resolve) => setTimeout(resolve, 2_000));
  const sent = (await late()).filter((d) => d.state === "sent");
  expect(new Set(sent.map((d) => d.ended_us)).size).toBeLessThanOrEqual(2);
});

test("a server that is away: tried again, nothing lost, nothing told twice; the notifier is killed meanwhile", async () => {
  await stopSink();
  await route();
  const id = await incident("while it was away");
  await happens(id, "raised");
  await eventually(
    "the log",
    () => deliveriesOf(id),
    (d) => d.length === 1 && d[0]!.includes("ECONNREFUSED"),
  );
  await notifier.kill();
  stopSink = await startMailSink(instance.config.HALVIK_DATA_DIR, sinkPort);
  await db.query("update delivery set due_us = 0 where incident = $1", [id]);
  notifier = await RoleProcess.start(instance, "notifier");
  await eventually(
    "mail",
    () => mailAbout("while it was away"),
    (m) => m.length === 1,
  );
  await noted(id, ["raise sent"]);
  const { rows } = await db.query("select attempts from delivery where incident = $1", [id]);
  // a busy machine may have tried once more before it was killed
  expect(rows[0].attempts).toBeGreaterThanOrEqual(2);
});

describe("a server that refuses for good", () => {
  let server: Server;
  let other: RoleProcess;
  beforeAll(async () => {
    await notifier.stop();
    // speaks as much SMTP as it takes to say no (RFC 5321 4.2.3: 550)
    server = createServer((socket) => {
      socket.on("error", () => undefined);
      socket.write("220 no.example\r\n");
      socket.on("data", (b: Buffer) => {
        const verb = b.toString().slice(0, 4).toUpperCase();
        socket.write(verb === "EHLO" || verb === "MAIL" || verb === "RSET" ? "250 ok\r\n" : "550 no such person\r\n");
      });
    });
    await new Promise<void>((ready) => server.listen(0, "127.0.0.1", ready));
    const { port } = server.address() as { port: number };
    const env = { ...instance.env, HALVIK_SMTP_URL: `smtp://127.0.0.1:${port}` };
    other = await RoleProcess.start({ ...instance, env }, "notifier");
  });
  afterAll(async () => {
    await other.stop();
    server.close();
    notifier = await RoleProcess.start(instance, "notifier");
  });
  test("its answer stands in the log; it is not asked again", async () => {
    await route();
    const id = await incident("to nobody");
    await happens(id, "raised");
    await eventually(
      "the log",
      () => deliveriesOf(id),
      (d) => d.length === 1 && d[0]!.startsWith("raise failed") && d[0]!.includes("550 no such person"),
    );
  });
});

test("a route that is switched off drops what waits", async () => {
  const id = await route({ delaySeconds: 3 });
  const one = await incident("switched off");
  await happens(one, "raised");
  await eventually(
    "the log",
    () => deliveriesOf(one),
    (d) => d.join() === "raise waiting",
  );
  await changeRoute(db, id, NotifyRoute.parse({ name: "duty", to: ["a@b.example"], enabled: false }), "me", nowUs());
  await eventually(
    "the log",
    () => deliveriesOf(one),
    (d) => d.join() === "raise dropped the notification is switched off",
  );
  expect(await mailAbout("switched off")).toEqual([]);
});
