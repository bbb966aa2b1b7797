import { createHash } from "node:crypto";
import pg from "pg";
import { connectionOf } from "../../../kernel/db/pool.js";
import { startTestInstance, type TestInstance } from "../../../testing/test-database.js";
import type { Arrival, Protocol } from "../arrivals/arrival.js";
import { forgetMostRequests, forgetRequests, noteRequests, requestsSeen } from "./requests-repository.js";

const MINUTE = 60e6;
const DAY = 1_440 * MINUTE;
const T = 1_764_331_200_000_000;
let instance: TestInstance;
let db: pg.Client;
beforeAll(async () => {
  instance = await startTestInstance();
  db = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await db.connect();
});
afterAll(async () => {
  await db?.end();
  await instance?.dispose();
});
beforeEach(() => db.query("delete from request_seen"));

const keyOf = (name: string) => createHash("sha256").update(name).digest("hex");
const arrival = (protocol: Protocol, name: string | null): Arrival => ({
  protocol,
  endpoint: "e",
  peer: "10.0.0.1",
  receivedUs: T,
  bytes: new Uint8Array(1),
  held: false,
  ...(name === null ? {} : { requestKey: keyOf(name) }),
});
const known = async (...names: string[]) => {
  const seen = await requestsSeen(db, names.map(keyOf));
  return names.filter((n) => seen.has(keyOf(n)));
};

test("requests are known for ten minutes, events of Windows for a week; what has no key is not noted", async () => {
  await noteRequests(db, [arrival("json", "a"), arrival("windows", "b"), arrival("json", null)], T);
  expect(await known("a", "b", "c")).toEqual(["a", "b"]);
  await forgetRequests(db, T + 9 * MINUTE);
  expect(await known("a", "b")).toEqual(["a", "b"]);
  await forgetRequests(db, T + 11 * MINUTE);
  expect(await known("a", "b")).toEqual(["b"]);
  // sent again, it is known from then on
  await noteRequests(db, [arrival("windows", "b")], T + 6 * DAY);
  await forgetRequests(db, T + 8 * DAY);
  expect(await known("b")).toEqual(["b"]);
  await forgetRequests(db, T + 14 * DAY);
  expect(await known("b")).toEqual([]);
});

test("of too many those are forgotten that would be next", async () => {
  for (let i = 0; i < 6; i++) await noteRequests(db, [arrival("windows", `e${i}`)], T + i * MINUTE);
  await forgetMostRequests(db, 4);
  expect(await known("e0", "e1", "e2", "e3", "e4", "e5")).toEqual(["e2", "e3", "e4", "e5"]);
  await forgetMostRequests(db, 4);
  expect(await known("e2", "e3", "e4", "e5")).toHaveLength(4);
});
