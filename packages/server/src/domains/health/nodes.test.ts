import pg from "pg";
import { nowUs } from "../../kernel/clock.js";
import { connectionOf } from "../../kernel/db/pool.js";
import { TestApi } from "../../testing/test-api.js";
import { startTestInstance, type TestInstance } from "../../testing/test-database.js";
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
