import { formatUs } from "@halvik/core/base/time";
import type pg from "pg";
import request from "supertest";
import { nowUs } from "../../kernel/clock.js";
import { connectionOf, createPool } from "../../kernel/db/pool.js";
import { TestApi } from "../../testing/test-api.js";
import { startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { loadDirectory } from "../intake/senders/directory-cache.js";
import { directoryVersion } from "../names/repository.js";

let instance: TestInstance;
let db: pg.Pool;
let api: TestApi;
beforeAll(async () => {
  instance = await startTestInstance();
  db = createPool(connectionOf(instance.config, instance.secrets, "owner"), 2, 10_000);
  api = await TestApi.start(instance);
}, 240_000);
afterAll(async () => {
  await api?.close();
  await db?.end();
  await instance?.dispose();
});
afterEach(() => db.query("delete from list; delete from saved_filter"));

const ask = async (method: "get" | "post" | "patch" | "delete", path: string, body?: object, status = 200) => {
  const answer = await request(api.app)
    [method](`/api/v1${path}`)
    .set("authorization", `Bearer ${api.actor}`)
    .send(body);
  expect([answer.status, JSON.stringify(answer.body).slice(0, 300)]).toEqual([status, expect.anything()]);
  return answer.body;
};
const make = async (over: object = {}) =>
  (await ask("post", "/lists", { name: "known scanners", kind: "address", ...over })).id as number;
const add = (id: number, body: object, status = 200) => ask("post", `/lists/${id}/entries`, body, status);
const held = async (name: string) => (await loadDirectory(db, "UTC")).lists.find(name)?.values;

test("values by hand, once in whatever spelling; poison in a table is refused by itself", async () => {
  const id = await make();
  expect(await add(id, { as: "value", value: "203.0.113.7", note: "by hand" })).toMatchObject({ added: 1 });
  expect(await add(id, { as: "value", value: "::ffff:203.0.113.7" })).toMatchObject({ added: 0, renewed: 1 });
  const csv =
    '\ufeffvalue,note,expires\n198.51.100.0/24,"a, b",2036-01-01\n# a remark\nno address,x,\n10.0.0.1,,tomorrow\n10.0.0.2\n10.0.0.2,again\n';
  expect(await add(id, { as: "csv", text: csv, source: "tide table" })).toEqual({
    added: 2,
    renewed: 0,
    refused: 2,
    reasons: [
      { what: "no address", why: "“no address” is no address or block" },
      { what: "10.0.0.1", why: "“tomorrow” is no time" },
    ],
  });
  expect(await held("Known Scanners")).toEqual(["203.0.113.7", "198.51.100.0/24", "10.0.0.2"]);
  const { entries, more } = await ask("get", `/lists/${id}/entries?text=TIDE`);
  expect([entries.length, more]).toEqual([2, 0]);
  expect(entries[1]).toMatchObject({ note: "a, b", source: "tide table", expires: "2036-01-01T00:00:00.000000Z" });
  await add(id, { as: "csv", text: '"never closed' }, 400);
  await add(id, { as: "stix", text: "{" }, 400);
});

test("a bundle of STIX: what is of this list's kind, with what was refused", async () => {
  const id = await make();
  const objects = [
    { type: "indicator", id: "indicator--1", pattern: "[ipv4-addr:value = '203.0.113.1']", pattern_type: "stix" },
    { type: "indicator", id: "indicator--2", pattern: "[domain-name:value = 'a.example']", pattern_type: "stix" },
    { type: "indicator", id: "indicator--3", pattern: "[ipv4-addr:value = '999.0.0.1']", pattern_type: "stix" },
  ];
  const text = JSON.stringify({ type: "bundle", id: "bundle--1", objects });
  expect(await add(id, { as: "stix", text })).toMatchObject({ added: 1, refused: 2 });
});

test("an entry that runs out is in no filter any more, and whoever has the names hears of it", async () => {
  const id = await make();
  const soon = nowUs() + 1_500_000;
  await add(id, { as: "value", value: "203.0.113.7", expires: formatUs(soon) });
  const before = await directoryVersion(db, nowUs());
  expect(await held("known scanners")).toEqual(["203.0.113.7"]);
  await new Promise((r) => setTimeout(r, 1_700));
  expect(await directoryVersion(db, nowUs())).not.toBe(before);
  expect(await held("known scanners")).toEqual([]);
  expect((await ask("get", "/lists")).lists[0]).toMatchObject({ entries: 0, expired: 1, nextExpiry: null });
});

test("what rules and saved filters name is neither renamed nor deleted; a rule that names none that there is, is refused", async () => {
  const id = await make();
  const rule = (list: string) => ({
    text: `id: scanners\nname: Scanners\nkind: count\nseverity: error\nfilter: src in list "${list}"\nkey: [src]\ncount: 1\nwindowSeconds: 60\ntitle: "{src}"\nclear: {by: hand}\ntests:\n  - name: one of them\n    raises: 1\n    lists: {${list}: [203.0.113.7]}\n    records: [{at: 0, fields: {kind: firewall, src: 203.0.113.7}}, {at: 1, fields: {kind: firewall, src: 203.0.113.8}}]\n`,
  });
  const refused = await ask("post", "/rules", rule("known scaners"), 400);
  expect(refused.error.message).toContain("did you mean “known scanners”?");
  await ask("post", "/rules", rule("known scanners"));
  const body = { name: "known scanners", kind: "address", about: "of the trade" };
  await ask("patch", `/lists/${id}`, body);
  const renamed = await ask("patch", `/lists/${id}`, { ...body, name: "others" }, 409);
  expect(renamed.error.message).toContain("the rule “Scanners” names it");
  await ask("delete", `/lists/${id}`, undefined, 409);
  expect((await ask("get", "/lists")).lists[0].usedBy).toEqual([{ what: "rule", id: "scanners", name: "Scanners" }]);
  await db.query("delete from rule where id = 'scanners'");
  await ask("delete", `/lists/${id}`);
});

test("bounds: a list is full, a name is taken, a kind stays", async () => {
  const id = await make();
  await ask("post", "/lists", { name: "KNOWN scanners", kind: "text" }, 409);
  await ask("post", "/lists", { name: 'a"b', kind: "text" }, 400);
  await ask("patch", `/lists/${id}`, { name: "known scanners", kind: "text" }, 400);
  const lines = Array.from({ length: 20_001 }, (_, i) => `10.${i >> 16}.${(i >> 8) & 255}.${i & 255}`);
  const full = await add(id, { as: "csv", text: lines.join("\n") }, 409);
  expect(full.error.message).toContain("there is room for 20000");
  expect(await add(id, { as: "csv", text: lines.slice(1).join("\n") })).toMatchObject({ added: 20_000 });
  // what stands in it may still be renewed
  expect(await add(id, { as: "value", value: lines[1]! })).toMatchObject({ added: 0, renewed: 1 });
});

test("a saved filter in a rule is the rule's own from then on; each version keeps what it was saved with", async () => {
  await ask("post", "/filters", { name: "loud", text: "app is siren", shared: true });
  const rule = `id: loud\nname: Loud\nkind: count\nseverity: error\nfilter: filter "loud" and severity at least error\nkey: []\ncount: 1\nwindowSeconds: 60\ntitle: "loud"\nclear: {by: hand}\n`;
  const saved = await ask("post", "/rules", { text: rule });
  expect(saved.text).toContain("app is siren");
  const { filters } = await ask("get", "/filters");
  await ask("patch", `/filters/${filters[0].id}`, { name: "loud", text: "app is horn", shared: true });
  expect((await ask("get", "/rules/loud")).text).toContain("app is siren");
  const again = await ask("post", "/rules", { text: rule });
  expect(again.text).toContain("app is horn");
  expect(again.versions.map((v: { text: string }) => /app is (\w+)/.exec(v.text)![1])).toEqual(["horn", "siren"]);
  const none = await ask("post", "/rules", { text: rule.replaceAll('"loud" and', '"quiet" and') }, 400);
  expect(none.error.message).toContain("there is no saved filter “quiet”");
  const timed = rule.replace('filter "loud"', 'filter "lately"');
  await ask("post", "/filters", { name: "lately", text: "time last 1 h", shared: true });
  expect((await ask("post", "/rules", { text: timed }, 400)).error.message).toContain("cannot name a time");
});
