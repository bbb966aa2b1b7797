import { NotifyRoute } from "@halvik/core/respond/notify";
import pg from "pg";
import { markNoted } from "../domains/notifications/repository.js";
import { takeCloses } from "../domains/rules/running/repository.js";
import { nowUs } from "../kernel/clock.js";
import { connectionOf } from "../kernel/db/pool.js";
import { addEvent } from "../kernel/db/unit-of-work.js";
import { TestApi } from "./test-api.js";
import { startTestInstance, type TestInstance } from "./test-database.js";

/** Incidents as several people work on them: acts on many, taking back, tasks, what is like them, handing over, being told. */
let instance: TestInstance;
let api: TestApi;
let owner: pg.Client;

beforeAll(async () => {
  instance = await startTestInstance();
  api = await TestApi.start(instance);
  owner = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await owner.connect();
}, 240_000);
afterAll(async () => {
  await owner?.end();
  await api?.close();
  await instance?.dispose();
});

let made = 0;
async function incident(title: string, { severity = 3, src = `203.0.113.${made}`, rule = "refused-logons" } = {}) {
  const now = nowUs();
  const { rows } = await owner.query<{ id: number }>(
    `insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count, entities)
     values ($1, $2, 'open', $5, 1, $3, $4, $4, $4, 11, $6) returning id`,
    [title, severity, `k${++made}`, now + made, rule, [`src\u0001${src}`, "user\u0001root"]],
  );
  const id = rows[0]!.id;
  await owner.query(
    `insert into finding (incident, rule_id, lane, key, first_us, last_us, raised_us, count, evidence_first, evidence_latest, entities)
     values ($1, $4, 'live', $2, $3, $3, $3, 11, '[]', '[]', '{}')`,
    [id, `k${made}`, now, rule],
  );
  return id;
}
const shown = async (id: number) => (await api.get(`/incidents/${id}`)).body;

test("an act, its history and its audit are one: where one of them cannot be written, nothing is", async () => {
  const [id, other] = [await incident("whole"), await incident("other")];
  const before = await shown(id);
  await owner.query("revoke insert on audit from halvik_web");
  try {
    for (const [path, body] of [
      [`/incidents/${id}/acknowledge`, { note: "" }],
      [`/incidents/${id}/close`, { reason: "fixed", note: "" }],
      [`/incidents/${id}/merge`, { into: other }],
      [`/incidents/${id}/shelve`, { until: "2999-01-01T00:00:00Z", why: "" }],
      ["/incidents/bulk", { ids: [id], act: { what: "acknowledge" } }],
    ] as const)
      expect((await api.post(path, body)).status).toBe(500);
  } finally {
    await owner.query("grant insert on audit to halvik_web");
  }
  expect(await shown(id)).toEqual(before);
  expect((await api.post(`/incidents/${id}/acknowledge`, { note: "" })).status).toBe(200);
});

describe("what needs somebody", () => {
  const queue = async () =>
    (await api.get("/incidents?state=attention&limit=500")).body as { attention: number; incidents: { id: number }[] };
  test("the count and the list are the same, whatever became of each: merged ones need nobody, stopped ones do", async () => {
    const ids = [await incident("stays"), await incident("goes"), await incident("stopped"), await incident("over")];
    await owner.query(
      "update incident set state = 'cleared', stopped = id = $1, ended_us = last_us where id = any($2::int[])",
      [ids[2], [ids[2], ids[3]]],
    );
    await api.post(`/incidents/${ids[1]}/merge`, { into: ids[0] });
    const { attention, incidents } = await queue();
    expect(attention).toBe(incidents.length);
    expect(ids.map((id) => incidents.some((i) => i.id === id))).toEqual([true, false, true, false]);
    expect((await api.get("/summary")).body.incidents?.attention ?? attention).toBe(attention);
  });
  test("put in order before any is left out", async () => {
    // milder, and more urgent than the worse one somebody has seen
    const seen = await incident("seen", { severity: 2 });
    await api.post(`/incidents/${seen}/acknowledge`, { note: "" });
    const fresh = await incident("fresh", { severity: 3 });
    const first = (await api.get("/incidents?state=open&limit=1")).body.incidents[0];
    const all = (await api.get("/incidents?state=open&limit=500")).body.incidents as { id: number }[];
    expect(first.id).toBe(all[0]!.id);
    expect(all.findIndex((i) => i.id === fresh)).toBeLessThan(all.findIndex((i) => i.id === seen));
  });
});

describe("acts on several at once", () => {
  test.each([
    ["acknowledge", { what: "acknowledge" }, { acknowledged: { by: "token actor" } }, { acknowledged: null }],
    ["assign", { what: "assign", to: "k.lind" }, { assignedTo: "k.lind" }, { assignedTo: null }],
    [
      "shelve",
      { what: "shelve", until: "2999-01-01T00:00:00Z", why: "dry dock" },
      { shelved: { why: "dry dock" }, urgency: { score: 0 } },
      { shelved: null },
    ],
    ["close", { what: "close", reason: "expected" }, { state: "closed", closeReason: "expected" }, { state: "open" }],
  ])("%s, and back", async (_what, act, after, before) => {
    const ids = [await incident("a"), await incident("b")];
    const { body } = await api.post("/incidents/bulk", { ids: [...ids, 99_999], act });
    expect(body).toMatchObject({ changed: ids, refused: [{ id: 99_999, why: "there is none" }] });
    for (const id of ids) expect((await shown(id)).incident).toMatchObject(after);
    const undone = await api.post(`/incidents/bulk/${body.undo}/undo`, {});
    expect(undone.body).toMatchObject({ changed: ids, refused: [] });
    for (const id of ids) {
      const { incident: now, history } = await shown(id);
      expect(now).toMatchObject(before);
      expect(history[0]).toMatchObject({ code: "undone", who: "token actor" });
    }
    expect((await api.post(`/incidents/bulk/${body.undo}/undo`, {})).body.error.code).toBe("NOT_FOUND");
  });
  test("what somebody else has changed since stays as it is", async () => {
    const [one, two] = [await incident("a"), await incident("b")];
    const { body } = await api.post("/incidents/bulk", { ids: [one, two], act: { what: "assign", to: "k.lind" } });
    await api.post(`/incidents/${two}/assign`, { to: "m.strand" });
    const undone = await api.post(`/incidents/bulk/${body.undo}/undo`, {});
    expect(undone.body).toEqual({
      changed: [one],
      refused: [{ id: two, why: "somebody has done something else since" }],
      undo: null,
    });
    expect((await shown(two)).incident.assignedTo).toBe("m.strand");
  });
  test("a closing waits before the rules are told; once they are, it stands", async () => {
    const id = await incident("a");
    const { body } = await api.post("/incidents/bulk", { ids: [id], act: { what: "close", reason: "fixed" } });
    expect(await takeCloses(owner, false, nowUs())).toEqual([]);
    await owner.query("update engine_close set due_us = 0");
    expect(await takeCloses(owner, false, nowUs())).toHaveLength(1);
    expect((await api.post(`/incidents/bulk/${body.undo}/undo`, {})).body.refused).toEqual([
      { id, why: "too late: the rules already know" },
    ]);
    expect((await shown(id)).incident.state).toBe("closed");
    await owner.query("delete from engine_close");
  });
  test.each([
    ["nothing chosen", { ids: [], act: { what: "acknowledge" } }, "BAD_REQUEST"],
    ["too many", { ids: Array.from({ length: 201 }, (_, i) => i + 1), act: { what: "acknowledge" } }, "BAD_REQUEST"],
    ["an unknown act", { ids: [1], act: { what: "delete" } }, "BAD_REQUEST"],
    ["a shelf that is over", { ids: [1], act: { what: "shelve", until: "2001-01-01T00:00:00Z" } }, "BAD_TIME"],
  ])("%s is refused", async (_what, body, code) => {
    expect((await api.post("/incidents/bulk", body)).body.error.code).toBe(code);
  });
  test("a reading token may not", async () => {
    const answer = await api.post("/incidents/bulk", { ids: [1], act: { what: "acknowledge" } }, api.reader);
    expect(answer.body.error.code).toBe("NOT_ALLOWED");
  });
});

test("the most urgent comes first, and says why", async () => {
  await owner.query("update incident set state = 'closed', ended_us = last_us where state = 'open'");
  const [notice, critical, error] = [
    await incident("notice", { severity: 5 }),
    await incident("critical", { severity: 2 }),
    await incident("error"),
  ];
  await owner.query("update incident set returned = 2 where id = $1", [error]);
  const { body } = await api.get("/incidents").query({ state: "open" });
  expect(body.incidents.map((i: { id: number }) => i.id)).toEqual([critical, error, notice]);
  expect(body.incidents[1].urgency).toEqual({
    score: 70,
    parts: [
      ["error", 40],
      ["not acknowledged", 15],
      ["it goes on", 10],
      ["it returned", 5],
    ],
  });
});

test("tasks are added, done, and open again, each with who and when", async () => {
  const id = await incident("with tasks");
  const added = await api.post(`/incidents/${id}/tasks`, { text: "change the password of root" });
  expect(added.body.tasks).toMatchObject([{ text: "change the password of root", by: "token actor", done: null }]);
  const task = added.body.tasks[0].id;
  const done = await api.patch(`/incidents/${id}/tasks/${task}`, { done: true });
  expect(done.body.tasks).toMatchObject([{ done: { by: "token actor" } }]);
  // twice says nothing new
  await api.patch(`/incidents/${id}/tasks/${task}`, { done: true });
  const open = await api.patch(`/incidents/${id}/tasks/${task}`, { done: false });
  expect(open.body.tasks).toMatchObject([{ done: null }]);
  expect(open.body.history.map((h: { what: string }) => h.what)).toEqual([
    "task open again",
    "task done",
    "task added",
  ]);
  expect((await api.post(`/incidents/${id}/tasks`, { text: "  " })).body.error.code).toBe("BAD_REQUEST");
  expect((await api.post("/incidents/99999/tasks", { text: "x" })).body.error.code).toBe("NOT_FOUND");
});

describe("taken apart and linked", () => {
  /** An incident with three findings, two of which name one user. */
  async function three(): Promise<{ id: number; findings: number[] }> {
    const id = await incident("three");
    await owner.query("update finding set entities = $2 where incident = $1", [id, ["user\u0001jo.berg"]]);
    await owner.query(
      `insert into finding (incident, rule_id, lane, key, first_us, last_us, raised_us, count, evidence_first, evidence_latest, entities)
       values ($1, 'disk-full', 'live', 'x', $2, $2, $2, 5, '[]', '[]', '{}'), ($1, 'too-hot', 'live', 'y', $2, $2, $2, 3, '[]', '[]', $3)`,
      [id, nowUs(), ["user\u0001jo.berg"]],
    );
    await owner.query("update incident set count = 19 where id = $1", [id]);
    await owner.query(
      "insert into rule_version (id, version, body, author, changed_us) select id, version, body, author, changed_us from rule on conflict do nothing",
    );
    const { rows } = await owner.query<{ id: number }>("select id from finding where incident = $1 order by id", [id]);
    return { id, findings: rows.map((r) => r.id) };
  }
  test("all that name a user become one incident; counts follow", async () => {
    const { id } = await three();
    const { body } = await api.post(`/incidents/${id}/split`, { entity: { field: "user", value: "jo.berg" } });
    expect(body.incident).toMatchObject({ count: 14, linkedTo: id, state: "open" });
    expect(body.findings.map((f: { rule: string }) => f.rule).sort()).toEqual(["refused-logons", "too-hot"]);
    expect((await shown(id)).incident.count).toBe(5);
  });
  test("what is taken out goes by the worst of it, though that came later", async () => {
    const { id } = await three();
    await owner.query("update finding set rule_id = 'guessed-then-in' where incident = $1 and rule_id = 'too-hot'", [
      id,
    ]);
    const { body } = await api.post(`/incidents/${id}/split`, { entity: { field: "user", value: "jo.berg" } });
    expect(body.incident).toMatchObject({
      severity: "critical",
      title: expect.stringContaining("was let in as jo.berg after many refused logons"),
    });
  });
  test("one finding becomes an incident of its own", async () => {
    const { id, findings } = await three();
    const { body } = await api.post(`/incidents/${id}/split`, { finding: findings[1] });
    expect(body.incident.count).toBe(5);
    expect((await shown(id)).incident.count).toBe(14);
  });
  test.each([
    ["a finding of another incident", { finding: 999_999 }, "CONFLICT"],
    ["what none names", { entity: { field: "user", value: "nobody" } }, "CONFLICT"],
    ["neither", {}, "BAD_REQUEST"],
  ])("%s is refused", async (_what, body, code) => {
    const { id } = await three();
    expect((await api.post(`/incidents/${id}/split`, body)).body.error.code).toBe(code);
  });
  test("two are linked, and not to themselves", async () => {
    const [one, two] = [await incident("a"), await incident("b")];
    expect((await api.post(`/incidents/${one}/link`, { to: two })).body.incident.linkedTo).toBe(two);
    expect((await api.post(`/incidents/${one}/link`, { to: null })).body.incident.linkedTo).toBeNull();
    expect((await api.post(`/incidents/${one}/link`, { to: one })).body.error.code).toBe("CONFLICT");
    expect((await api.post(`/incidents/${one}/link`, { to: 999_999 })).body.error.code).toBe("NOT_FOUND");
  });
});

test("earlier ones like it are named, with what they share and how they ended", async () => {
  const before = await incident("earlier", { src: "198.51.100.9", rule: "fan-failed" });
  await api.post(`/incidents/${before}/close`, { reason: "false", note: "a scanner of our own" });
  const other = await incident("of another rule, alike by its entities", { src: "198.51.100.9", rule: "disk-full" });
  const unlike = await incident("unlike", { rule: "disk-full", src: "198.51.100.77" });
  const id = await incident("now", { src: "198.51.100.9", rule: "fan-failed" });
  const { similar } = await shown(id);
  expect(similar[0]).toMatchObject({ id: before, state: "closed", closeReason: "false", note: "a scanner of our own" });
  expect(similar[0].why).toContain("198.51.100.9");
  const ids = similar.map((s: { id: number }) => s.id);
  expect(ids).toContain(other);
  expect(ids).not.toContain(unlike);
  expect(ids).not.toContain(id);
});

test("a hand-over says of each open one how it stands, what is to do and what was noted; hostile text stays text", async () => {
  await owner.query("update incident set state = 'closed', ended_us = last_us where state = 'open'");
  const id = await incident("<img src=x> `owned` [link](javascript:1)");
  await api.post(`/incidents/${id}/tasks`, { text: "block the address" });
  await api.post(`/incidents/${id}/notes`, { note: "called the *owner*" });
  await api.post(`/incidents/${id}/assign`, { to: "k.lind" });
  await api.post(`/incidents/${id}/techniques`, { techniques: ["t1110", "T1078", "T1110"] });
  expect((await shown(id)).incident).toMatchObject({
    addedTechniques: ["T1078", "T1110"],
    techniques: ["T1078", "T1110"],
  });
  expect((await shown(id)).history[0]).toMatchObject({ code: "techniques", detail: "T1078, T1110" });
  await api.post(`/incidents/${id}/techniques`, { techniques: ["valid accounts"] }).expect(400);
  // what becomes part of another takes along what people said of it
  const other = await incident("the same again");
  await api.post(`/incidents/${other}/techniques`, { techniques: ["T1048"] });
  await api.post(`/incidents/${other}/merge`, { into: id }).expect(200);
  expect((await shown(id)).incident.addedTechniques).toEqual(["T1048", "T1078", "T1110"]);
  const { text } = await api.get("/incidents/handover");
  expect(text).toContain("\\<img src=x\\> \\`owned\\` \\[link\\](javascript:1)");
  expect(text).toContain("assigned to k.lind");
  expect(text).toContain("- to do: block the address");
  expect(text).toContain("called the \\*owner\\*");
  expect((await api.get(`/incidents/${id}/export`).query({ format: "handover" })).text).toContain("block the address");
});

describe("who is told", () => {
  const route = { name: "duty", to: ["duty@orvane.example"] };
  test("a route is added, changed, tried and taken away; the log shows the try", async () => {
    const { body: added } = await api.post("/notify/routes", route);
    expect(added).toMatchObject({ ...NotifyRoute.parse(route), author: "token actor" });
    const changed = await api.patch(`/notify/routes/${added.id}`, { ...route, severity: "critical" });
    expect(changed.body.severity).toBe("critical");
    await api.post(`/notify/routes/${added.id}/test`, {});
    expect((await api.get("/notify/deliveries")).body.deliveries).toMatchObject([
      { tells: "test", state: "waiting", to: ["duty@orvane.example"], incident: null },
    ]);
    expect((await api.delete(`/notify/routes/${added.id}`)).body).toEqual({ gone: true });
    expect((await api.get("/notify/routes")).body).toEqual({ mail: null, routes: [] });
    expect((await api.delete(`/notify/routes/${added.id}`)).body.error.code).toBe("NOT_FOUND");
  });
  test.each([
    ["no address", { ...route, to: ["duty"] }],
    ["an unknown severity", { ...route, severity: "bad" }],
    ["a line end in the name", { ...route, name: "x\nBcc: y" }],
  ])("a route with %s is refused", async (_what, body) => {
    expect((await api.post("/notify/routes", body)).body.error.code).toBe("BAD_REQUEST");
  });
  test("notices are counted until one has read them; imported history makes none", async () => {
    const [told, old] = [await incident("told"), await incident("of history")];
    await addEvent(owner, told, nowUs(), "Halvik", "raised", "");
    await addEvent(owner, told, nowUs(), "Halvik", "joined", "another rule");
    await addEvent(owner, old, nowUs(), "Halvik", "raised", "");
    const { rows } = await owner.query<{ id: number; incident: number }>(
      "select id, incident from incident_event where code in ('raised', 'joined') and not noted order by id",
    );
    const ids = rows.map((r) => r.id);
    await markNoted(
      owner,
      ids,
      rows.filter((r) => r.incident === old).map((r) => r.id),
    );
    const before = (await api.get("/notices")).body;
    expect(before.unread).toBe(1);
    expect(before.notices[0]).toMatchObject({
      id: ids[1],
      tells: "raise",
      incident: { id: told },
      read: false,
      lines: [{ what: "raised" }, { what: "joined", detail: "another rule" }],
    });
    await api.post("/notices/read", { upTo: before.notices[0].id }, api.reader);
    expect((await api.get("/notices")).body).toMatchObject({ unread: 0, notices: [{ read: true }] });
    // another person has not read it
    expect((await api.get("/notices", api.actor)).body.unread).toBe(1);
  });
});
