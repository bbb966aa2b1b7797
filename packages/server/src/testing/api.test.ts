import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { syslogRecord } from "@halvik/core/normalise";
import type { Express } from "express";
import pg from "pg";
import request from "supertest";
import { connectionOf } from "../kernel/db/pool.js";
import { BatchWriter } from "../store/batches.js";
import { claimCollector } from "../store/collectors.js";
import { formatRecordId, IdSource } from "../store/record-id.js";
import { TestApi } from "./test-api.js";
import { startTestInstance, type TestInstance } from "./test-database.js";

let instance: TestInstance;
let app: Express;
let api: TestApi;
let reader: string;
let actor: string;
let recordId: string;
const API = "/api/v1";

beforeAll(async () => {
  instance = await startTestInstance();
  const { config, secrets } = instance;
  api = await TestApi.start(instance);
  ({ app, reader, actor } = api);
  const client = new pg.Client(connectionOf(config, secrets, "owner"));
  await client.connect();
  const claim = await claimCollector(client, "test", "live");
  const ids = new IdSource(claim.number, 0);
  const nowUs = Date.now() * 1000;
  const records = ["<11>a: first <script>alert(1)</script>", "<14>a: second"].map((line, i) => ({
    id: ids.next(nowUs),
    sender: 1,
    endpoint: "t",
    copyOf: null,
    content: syslogRecord(Buffer.from(line), { receivedUs: nowUs - 1_000_000 + i, zone: "UTC", clockOffsetUs: 0 })
      .content,
  }));
  await new BatchWriter(client, claim.number, null).commit(
    { number: 1, records, throughUs: nowUs, runRules: true },
    nowUs,
  );
  recordId = formatRecordId(records[0]!.id);
  await client.query("insert into sender (name, state) values ('box', 'admitted'), ('other', 'waiting')");
  await client.query(
    "insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count) values ('t', 3, 'open', 'refused-logons', 1, 'k', 1, 2, 2, 3)",
  );
  await client.end();
}, 240_000);
afterAll(async () => {
  await api?.close();
  await instance?.dispose();
});

const get = (path: string, token?: string) => api.get(path, token);
const post = (path: string, body: object, token?: string) => api.post(path, body, token);

describe("who may", () => {
  test.each(["/records", "/incidents", "/senders", "/summary", "/intake", "/rules", "/records/1", "/senders.csv"])(
    "%s asks for a sign-in",
    async (path) => {
      const answer = await request(app).get(`${API}${path}`);
      expect([answer.status, answer.body.error.code]).toEqual([401, "SIGN_IN_NEEDED"]);
    },
  );
  test("health and the description are open, and say nothing of records", async () => {
    const open = await request(app).get(`${API}/health`);
    // no role runs here
    expect([open.status, open.body]).toEqual([503, { state: "down" }]);
    expect((await get("/health")).body).toMatchObject({ state: "down", database: true, troubles: [], roles: [] });
    expect((await request(app).get(`${API}/openapi.json`)).body.openapi).toBe("3.1.0");
  });
  test("a reading token may not act; an unknown one is refused", async () => {
    expect((await post("/incidents/1/acknowledge", {}, reader)).body.error.code).toBe("NOT_ALLOWED");
    expect((await get("/records", "hv_nonsense")).status).toBe(401);
  });
  test("another site's page cannot make changes", async () => {
    for (const [name, value] of [
      ["origin", "https://evil.example"],
      ["sec-fetch-site", "cross-site"],
    ] as const)
      expect((await post("/incidents/1/acknowledge", {}).set(name, value)).body.error.code).toBe("CROSS_SITE");
  });
  test("sign-in: wrong, then the one-time password, which must be changed before anything else", async () => {
    const wrong = await request(app).post(`${API}/session`).send({ name: "owner", password: "wrong" });
    expect([wrong.status, wrong.body.error.code]).toEqual([401, "SIGN_IN_REFUSED"]);
    const agent = request.agent(app);
    const signedIn = await agent.post(`${API}/session`).send({ name: "owner", password: instance.ownerPassword });
    expect(signedIn.body).toMatchObject({ name: "owner", mustChange: true });
    expect(signedIn.headers["set-cookie"]![0]).toMatch(/HttpOnly; SameSite=Strict/);
    expect((await agent.get(`${API}/records`)).body.error.code).toBe("PASSWORD_MUST_CHANGE");
    const change = (current: string, password: string) =>
      agent.post(`${API}/session/password`).send({ current, password });
    const { ownerPassword } = instance;
    expect((await change(ownerPassword, "short")).body.error).toMatchObject({ code: "BAD_REQUEST", field: "password" });
    expect((await change(ownerPassword, ownerPassword)).body.error.field).toBe("password");
    expect((await change(ownerPassword, "passwordpassword")).body.error.message).toContain("first that would be tried");
    expect((await change("not the one", "a password of my own")).body.error.field).toBe("current");
    // one who has only the session, in another place
    const thief = request.agent(app);
    thief.jar.setCookies(signedIn.headers["set-cookie"]!);
    expect((await change(ownerPassword, "a password of my own")).body.mustChange).toBe(false);
    expect((await agent.get(`${API}/records`)).status).toBe(200);
    expect((await thief.get(`${API}/session`)).status).toBe(401);
    await agent.delete(`${API}/session`);
    expect((await agent.get(`${API}/records`)).status).toBe(401);
  });
});

describe("records", () => {
  test("newest first, filtered, with ids as strings and hostile text as it is", async () => {
    const { body } = await get("/records").query({ filter: "severity at least error" });
    expect(body).toMatchObject({
      partial: false,
      records: [{ id: recordId, text: "first <script>alert(1)</script>", severity: "error", sender: { name: "box" } }],
    });
    expect((await get("/records").query({ limit: "1" })).body.nextCursor).toMatch(/^\d+\.\d+$/);
  });
  test("what came after something with the same sender; an export and counts say the same", async () => {
    const filter = "same sender within 1 h after (first)";
    const later = (await get("/records").query({ filter: `not (${filter})` })).body.records.length;
    const found = (await get("/records").query({ filter })).body.records;
    expect(found.length + later).toBe(2);
    expect(found.map((r: { text: string }) => r.text)).not.toContain("first <script>alert(1)</script>");
    expect((await get("/records/histogram").query({ filter })).body.total).toBe(found.length);
    expect((await get("/records").query({ filter: "same user within 1 h after (first)" })).body.records).toEqual([]);
    expect((await get("/records/live").query({ filter })).body.error).toMatchObject({
      code: "BAD_REQUEST",
      field: "filter",
    });
    expect((await get("/records").query({ filter: "same user within 1 h after first)" })).body.error.code).toBe(
      "BAD_FILTER",
    );
  });
  test("one with its raw bytes", async () => {
    const { body } = await get(`/records/${recordId}`);
    expect(Buffer.from(body.raw.base64, "base64").toString()).toBe("<11>a: first <script>alert(1)</script>");
    expect((await get("/records/123456789")).body.error.code).toBe("NOT_FOUND");
  });
  test("counts over time", async () => {
    expect((await get("/records/histogram").query({ buckets: "24" })).body).toMatchObject({
      total: 2,
      exact: true,
      source: "rollups",
    });
    expect((await get("/records/histogram").query({ filter: "first" })).body).toMatchObject({
      total: 1,
      exact: true,
      source: "records",
    });
  });
  test.each([
    [
      "a filter that cannot be read",
      { filter: "sevrity is error" },
      { code: "BAD_FILTER", position: { start: 0, end: 7 }, suggestion: "severity" },
    ],
    ["an unknown sender", { filter: "sender is bx" }, { code: "BAD_FILTER", suggestion: "box" }],
    ["a limit of nothing", { limit: "" }, { code: "BAD_REQUEST", field: "limit" }],
    ["a limit too large", { limit: "100000" }, { code: "BAD_REQUEST", field: "limit" }],
    ["a cursor made up", { cursor: "1;drop" }, { code: "BAD_REQUEST", field: "cursor" }],
    ["a time without a zone", { from: "2026-01-01T00:00:00" }, { code: "BAD_TIME", field: "from" }],
    ["a window turned round", { from: "2026-01-02T00:00:00Z", to: "2026-01-01T00:00:00Z" }, { code: "BAD_TIME" }],
    ["a zone that is none", { zone: "Mars" }, { code: "BAD_REQUEST", field: "zone" }],
  ])("%s is a clear error", async (_what, query, error) => {
    const answer = await get("/records").query(query);
    expect([answer.status, answer.body]).toMatchObject([400, { error }]);
  });
});

describe("values, coverage and export", () => {
  test("values of a field with counts; a field that has none is refused", async () => {
    const severities = (await get("/records/values").query({ field: "severity" })).body;
    expect(severities).toMatchObject({
      values: [
        { label: "error", count: 1 },
        { label: "informational", count: 1 },
      ],
      distinct: 2,
      restCount: 0,
      records: 2,
      exact: true,
    });
    expect((await get("/records/values").query({ field: "app", filter: "second" })).body.values).toEqual([
      { value: "a", label: "a", count: 1, amount: 1 },
    ]);
    expect((await get("/records/values").query({ field: "bytes" })).body.error).toMatchObject({
      code: "BAD_REQUEST",
      field: "field",
    });
    expect((await get("/records/values").query({ field: "data" })).body.error.field).toBe("name");
    expect((await get("/records/values").query({ field: "app", by: "distinct" })).body.error.field).toBe("distinct");
    expect(
      (await get("/records/values").query({ field: "app", by: "distinct", distinct: "severity" })).body,
    ).toMatchObject({ values: [{ value: "a", count: 2, amount: 2 }], restCount: 0 });
  });
  test("two fields together", async () => {
    expect((await get("/records/matrix").query({ rows: "app", columns: "severity" })).body).toMatchObject({
      rows: [{ value: "a", label: "a", total: 2 }],
      columns: [
        { label: "error", total: 1 },
        { label: "informational", total: 1 },
      ],
      cells: [[1, 1]],
      exact: true,
    });
    expect((await get("/records/matrix").query({ rows: "app", columns: "bytes" })).body.error).toMatchObject({
      code: "BAD_REQUEST",
      field: "columns",
    });
  });
  test("coverage of a window without losses is empty", async () => {
    expect((await get("/records/coverage")).body).toEqual({
      notListening: [],
      lost: 0,
      capped: 0,
      flowGaps: 0,
      droppedByRules: 0,
      shed: 0,
      silent: [],
    });
  });
  test.each([
    ["raw", "<14>a: second\n<11>a: first <script>alert(1)</script>\n"],
    ["csv", /^id,time,.*\r?\n.*,second\r?\n.*alert\(1\)<\/script>\r?\n$/s],
    ["jsonl", /^\{"id":.*second.*\}\n\{.*first.*\}\n$/s],
  ])(
    "an export as %s holds the records, and a manifest proves them: in an archive, or asked for",
    async (format, wanted) => {
      const fetched = (query: object) =>
        get("/records/export")
          .query(query)
          .buffer()
          .parse((res, done) => {
            const parts: Buffer[] = [];
            res.on("data", (b: Buffer) => parts.push(b));
            res.on("end", () => done(null, Buffer.concat(parts)));
          });
      const id = "00000000deadbeef";
      const plain = await fetched({ format, id });
      expect(plain.headers["content-disposition"]).toMatch(
        new RegExp(`^attachment; filename="halvik-records-[0-9T-]+Z\\.${format === "raw" ? "log" : format}"$`),
      );
      const { state, manifest: own } = (await get(`/records/exports/${id}`)).body;
      expect([state, own.records, own.files[0].bytes]).toEqual(["done", 2, (plain.body as Buffer).length]);
      expect(
        createHash("sha256")
          .update(plain.body as Buffer)
          .digest("hex"),
      ).toBe(own.files[0].sha256);
      // nobody sees how far another's is
      expect((await get(`/records/exports/${id}`, actor)).status).toBe(404);
      const answer = await fetched({ format, as: "archive" });
      const directory = mkdtempSync(join(tmpdir(), "halvik-export-"));
      writeFileSync(join(directory, "a.zip"), answer.body as Buffer);
      // python's own reader of archives, not ours
      execFileSync("python3", ["-m", "zipfile", "-e", join(directory, "a.zip"), directory]);
      const manifest = JSON.parse(readFileSync(join(directory, "manifest.json"), "utf8"));
      const file = readFileSync(join(directory, manifest.files[0].name));
      expect(manifest).toMatchObject({ records: 2, written: 2, by: "token reader", order: "newest first" });
      expect(createHash("sha256").update(file).digest("hex")).toBe(manifest.files[0].sha256);
      expect(file.toString()).toEqual(typeof wanted === "string" ? wanted : expect.stringMatching(wanted));
      rmSync(directory, { recursive: true });
    },
  );
});

describe("a time in the filter", () => {
  const window = async (path: string) => {
    const { body } = await get(path);
    const us = (iso: string) => Date.parse(iso) / 1_000;
    return { hours: Math.round((us(body.window.to) - us(body.window.from)) / 3_600), ...body.window };
  };
  const of = (filter: string, more = "") => `/records?filter=${encodeURIComponent(filter)}${more}`;

  test("decides the window where none is asked for, and the answer says it", async () => {
    expect((await window(of("a"))).hours).toBe(24);
    expect((await window(of("time last 3 d"))).hours).toBe(72);
    expect((await window(of("time last 3 d and severity at least error"))).hours).toBe(72);
    expect(await window(of("time between 2026-11-20 02:00 and 2026-11-20 04:00", "&zone=UTC"))).toMatchObject({
      from: "2026-11-20T02:00:00.000000Z",
      to: "2026-11-20T04:00:00.000000Z",
    });
    expect(await window(of("time under 2026-11-20", "&zone=UTC"))).toMatchObject({
      hours: 24,
      to: "2026-11-20T00:00:00.000000Z",
    });
  });
  test("narrows the window that is asked for, and never widens it", async () => {
    const asked = "&from=2026-11-20T00:00:00Z&to=2026-11-21T00:00:00Z";
    expect((await window(of("time over 2026-11-20 18:00", `${asked}&zone=UTC`))).hours).toBe(6);
    expect((await window(of("time under 2030-01-01", asked))).hours).toBe(24);
    // times that exclude each other: nothing was searched, and nothing is found
    expect((await window(of("time under 2026-11-01", asked))).hours).toBe(0);
    expect((await get(of("time under 2026-11-01", asked))).body.records).toEqual([]);
  });
  test("is told by counts and values too", async () => {
    for (const path of ["/records/histogram?filter=time+last+2+d", "/records/values?filter=time+last+2+d&field=app"])
      expect([path, (await window(path)).hours]).toEqual([path, 48]);
  });
});

test("a filter that finds nothing: which part, what may have been meant, and where it would match", async () => {
  const why = (await get("/records/why-nothing").query({ filter: "app is aa and severity is error" })).body;
  expect(why).toEqual({
    parts: [
      { text: "app is aa", count: 0, exact: true, near: { value: "a", count: 2 } },
      { text: "severity is error", count: 1, exact: true },
    ],
  });
  const from = new Date(Date.now() + 3_600_000).toISOString();
  const to = new Date(Date.now() + 7_200_000).toISOString();
  expect((await get("/records/why-nothing").query({ filter: "first", from, to })).body).toMatchObject({
    parts: [{ text: "first", count: 0 }],
    lastBefore: expect.any(String),
  });
});

describe("saved filters", () => {
  const patch = (id: number, body: object) =>
    request(app).patch(`${API}/filters/${id}`).set("authorization", `Bearer ${actor}`).send(body);
  const remove = (id: number) => request(app).delete(`${API}/filters/${id}`).set("authorization", `Bearer ${actor}`);
  test("kept by name, used by name, in others too; cycles, gaps and what is in use are refused", async () => {
    const firsts = (await post("/filters", { name: "Firsts", text: "first" })).body;
    expect(firsts).toMatchObject({ name: "Firsts", mine: true, shared: false });
    const find = (filter: string) =>
      request(app).get(`${API}/records`).set("authorization", `Bearer ${actor}`).query({ filter });
    expect((await find('filter "firsts"')).body.records).toHaveLength(1);
    expect((await find('not filter "firsts" and kind is syslog')).body.records).toHaveLength(1);
    expect((await post("/filters", { name: "firsts", text: "x" })).body.error.code).toBe("CONFLICT");
    const worse = (await post("/filters", { name: "bad firsts", text: 'filter "Firsts" and severity at least error' }))
      .body;
    expect((await find('filter "bad firsts"')).body.records).toHaveLength(1);
    expect((await patch(firsts.id, { name: "Firsts", text: 'filter "bad firsts"' })).body.error.message).toContain(
      "Firsts → bad firsts → Firsts",
    );
    expect((await remove(firsts.id)).body.error.message).toContain("“bad firsts” uses it");
    expect(
      (await patch(worse.id, { name: "bad firsts", text: worse.text, shared: true })).body.error.message,
    ).toContain("not shared");
    // someone else's, not shared: as if it were not there
    expect((await get("/records").query({ filter: 'filter "firsts"' })).body.error.message).toContain(
      "no saved filter",
    );
    expect((await post("/filters", { name: "broken", text: "sevrity is error" })).body.error.code).toBe("BAD_FILTER");
    expect((await remove(worse.id)).body).toEqual({ forgotten: true });
    expect((await remove(firsts.id)).body).toEqual({ forgotten: true });
  });
});

describe("incidents and senders", () => {
  test("acknowledge, note, close; a second close contradicts", async () => {
    expect((await get("/incidents").query({ state: "attention" })).body).toMatchObject({
      attention: 1,
      incidents: [{ id: 1 }],
    });
    expect((await post("/incidents/1/acknowledge", { note: "I saw it" })).body).toMatchObject({
      incident: { acknowledged: { by: "token actor" } },
      history: [{ what: "acknowledged", detail: "I saw it" }],
    });
    expect((await get("/incidents").query({ state: "attention" })).body.attention).toBe(0);
    expect((await post("/incidents/1/notes", { note: "" })).body.error.code).toBe("BAD_REQUEST");
    expect((await post("/incidents/1/close", { reason: "fixed" })).body.incident).toMatchObject({
      state: "closed",
      closeReason: "fixed",
    });
    expect((await post("/incidents/1/close", { reason: "fixed" })).body.error.code).toBe("CONFLICT");
    expect((await post("/incidents/99/acknowledge", {})).body.error.code).toBe("NOT_FOUND");
  });
  test("admit, change, and conflicts in words", async () => {
    const senders = (await post("/senders/2/admit", {})).body.senders as { id: number; state: string }[];
    expect(senders.find((s) => s.id === 2)?.state).toBe("admitted");
    const patch = (id: number, body: object) =>
      request(app).patch(`${API}/senders/${id}`).set("authorization", `Bearer ${actor}`).send(body);
    expect(
      (await patch(1, { addresses: ["10.0.0.1", "2001:DB8::1"], reachedThrough: "other" })).body.senders[0],
    ).toMatchObject({ addresses: ["10.0.0.1", "2001:db8::1"], reachedThrough: "other" });
    expect((await patch(2, { addresses: ["10.0.0.1"] })).body.error).toMatchObject({
      code: "CONFLICT",
      message: "the address 10.0.0.1 belongs to “box”",
    });
    expect((await patch(2, { reachedThrough: "box" })).body.error.message).toContain("is itself reached through");
    expect((await patch(2, { name: "BOX" })).body.error.message).toContain("is called “box”");
    expect((await patch(2, { addresses: ["nonsense"] })).body.error).toMatchObject({
      code: "BAD_REQUEST",
      field: "addresses.0",
    });
    expect((await post("/senders/admit-network", { network: "10.0.0.0/33", fromNowOn: true })).status).toBe(400);
  });
});

describe("asking", () => {
  test("a parameter nobody knows is refused, with the one that was meant", async () => {
    const answer = await get("/records?fiter=x", reader);
    expect(answer.status).toBe(400);
    expect(answer.body.error).toMatchObject({ field: "fiter", suggestion: "filter" });
    expect((await get("/senders?filter=x", reader)).status).toBe(400);
    expect((await get("/records?filter=a&filter=b", reader)).status).toBe(400);
  });
  test("a filter longer than an address may be is asked by POST; the same is answered", async () => {
    const filter = `${"æ".repeat(7_900)} or first`;
    const byPost = await post("/records", { filter, limit: 5 }, reader);
    expect([byPost.status, byPost.body.records?.length]).toEqual([200, 1]);
    expect((await post("/records/histogram", { filter }, reader)).body.total).toBe(1);
    expect((await post("/records", { filter: "first", limt: 5 }, reader)).body.error).toMatchObject({
      suggestion: "limit",
    });
    expect((await request(app).post(`${API}/records`).send({ filter: "first" })).status).toBe(401);
  });
  test("what is committed after a page is new, however late it is; each comes once, over as many pages as it takes", async () => {
    const { config, secrets } = instance;
    const client = new pg.Client(connectionOf(config, secrets, "owner"));
    await client.connect();
    const claim = await claimCollector(client, "late", "live");
    const writer = new BatchWriter(client, claim.number, null);
    const ids = new IdSource(claim.number, claim.lastIdUs);
    let number = claim.lastBatch;
    const nowUs = Date.now() * 1000;
    const stored: string[] = [];
    const store = async (ages: readonly number[]) => {
      const records = ages.map((age, i) => ({
        id: ids.next(nowUs),
        sender: 1,
        endpoint: "t",
        copyOf: null,
        content: syslogRecord(Buffer.from(`<14>late: number ${number}.${i}`), {
          receivedUs: nowUs - age * 1e6,
          zone: "UTC",
          clockOffsetUs: 0,
        }).content,
      }));
      for (const r of records) stored.push(formatRecordId(r.id));
      await writer.commit({ number: ++number, records, throughUs: nowUs, runRules: false }, nowUs);
    };
    const filter = encodeURIComponent("app is late");
    const first = await get(`/records?filter=${filter}`, reader);
    expect(first.body.records).toEqual([]);
    let cursor: string = first.body.newerCursor;
    const got: string[] = [];
    const follow = async () => {
      for (let more = true; more; ) {
        const page = await get(`/records?filter=${filter}&direction=newer&limit=7&cursor=${cursor}`, reader);
        expect(page.status).toBe(200);
        got.push(...page.body.records.map((r: { id: string }) => r.id));
        cursor = page.body.newerCursor;
        more = page.body.nextCursor !== undefined;
      }
    };
    // behind one another, by a jittered clock
    for (const ages of [[1, 2, 3], [600, 4, 5], Array.from({ length: 20 }, (_, i) => 100 - i), [3_000]]) {
      await store(ages);
      if (ages.length !== 20) await follow();
    }
    await follow();
    expect(got).toEqual(stored);
    await follow();
    expect(got).toHaveLength(stored.length);
    for (const bad of ["new.", "new.e30", `new.${Buffer.from('{"marks":{"1":-1}}').toString("base64url")}`])
      expect((await get(`/records?direction=newer&cursor=${bad}`, reader)).status).toBe(400);
    expect((await get(`/records?cursor=${cursor}`, reader)).status).toBe(400);
    await client.query("delete from batch where collector = $1 and number <= $2", [claim.number, number - 1]);
    const old = `new.${Buffer.from(JSON.stringify({ marks: { [claim.number]: 1 } })).toString("base64url")}`;
    expect((await get(`/records?direction=newer&cursor=${old}`, reader)).body.error.message).toContain("too old");
    await client.end();
  });
});

test("every route is described, with the shape of its errors", async () => {
  const { paths } = (await request(app).get(`${API}/openapi.json`)).body as { paths: Record<string, object> };
  for (const path of [
    "/records",
    "/records/{id}",
    "/records/histogram",
    "/records/live",
    "/incidents",
    "/incidents/{id}",
    "/incidents/{id}/acknowledge",
    "/senders",
    "/senders/{id}/admit",
    "/health",
  ])
    expect(Object.keys(paths)).toContain(path);
});

test("bodies that are no JSON, too large, or of the wrong kind are clear errors", async () => {
  const raw = (body: string) =>
    request(app)
      .post(`${API}/incidents/1/notes`)
      .set("authorization", `Bearer ${actor}`)
      .set("content-type", "application/json")
      .send(body);
  expect((await raw("{oops")).body.error.message).toBe("the body is not JSON");
  expect((await raw(JSON.stringify({ note: "x".repeat(1_100_000) }))).body.error.message).toContain("larger");
  expect((await raw('{"note": 5}')).body.error).toMatchObject({ code: "BAD_REQUEST", field: "note" });
});

describe("rules", () => {
  const RULE = `id: mine
name: Mine
kind: count
severity: warning
filter: app is nothing-says-so
key: [sender]
count: 2
windowSeconds: 60
title: t
clear: { by: hand }
tests:
  - { name: two, raises: 1, records: [{ at: 0, times: 2, syslog: "<13>nothing-says-so: x" }] }
`;
  test("checked while it is written: mistakes with their place, the sentence, tests, blindness", async () => {
    expect((await post("/rules/check", { text: RULE.replace("app is", "ap is") })).body.issues).toMatchObject([
      { path: "filter" },
    ]);
    expect((await post("/rules/check", { text: "a: [" })).body.issues[0].message).toContain("line");
    expect((await post("/rules/check", { text: RULE })).body).toMatchObject({
      issues: [],
      sentence: expect.stringContaining("Raise warning when 2 records"),
      tests: [{ passes: true }],
      blind: [{ condition: "app is nothing-says-so", needs: ["app is nothing-says-so: no record says that"] }],
    });
    const needs = async (filter: string) =>
      (
        await post("/rules/check", {
          text: RULE.replace("app is nothing-says-so", filter).replace(/tests:[\s\S]*/, ""),
        })
      ).body.blind[0].needs;
    expect(await needs("kind is flow and dst port is 25")).toEqual([
      expect.stringMatching(
        /^no flow record has come: let a sender send to “flows, NetFlow” on 127.0.0.1 port \d+, “flows/,
      ),
      "dst port is 25: no record says that",
    ]);
    expect(await needs("kind is flow")).toEqual([expect.stringContaining("HALVIK_LISTEN_HOST")]);
  });
  test("kept as versions; one whose tests fail is refused; switched", async () => {
    expect((await post("/rules", { text: RULE.replace("raises: 1", "raises: 3") })).body.error).toMatchObject({
      code: "TESTS_FAIL",
      message: "test “two” expects 3 findings and has 1",
    });
    expect((await post("/rules", { text: RULE })).body).toMatchObject({ rule: { id: "mine", version: 1 } });
    // one that is meant as new never takes another's place
    expect((await post("/rules", { text: RULE.replace("count: 2", "count: 1"), isNew: true })).body.error.code).toBe(
      "CONFLICT",
    );
    const second = await post("/rules", { text: RULE.replace("count: 2", "count: 1") });
    expect(second.body.versions.map((v: { version: number }) => v.version)).toEqual([2, 1]);
    const off = await request(app)
      .patch(`${API}/rules/mine`)
      .set("authorization", `Bearer ${actor}`)
      .send({ enabled: false });
    expect(off.body).toMatchObject({ rule: { enabled: false, version: 3 } });
  });
  test("one that the filter language refuses today is shown with its text, can be switched off, and its incidents open", async () => {
    const { config, secrets } = instance;
    const client = new pg.Client(connectionOf(config, secrets, "owner"));
    await client.connect();
    await post("/rules", { text: RULE.replace("mine", "older") });
    const old = "user is svc-*";
    for (const table of ["rule", "rule_version"])
      await client.query(`update ${table} set body = jsonb_set(body, '{filter}', $1) where id = 'older'`, [
        JSON.stringify(old),
      ]);
    const made = await client.query<{ id: number }>(
      "insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count) values ('t', 3, 'open', 'older', 1, 'k', 1, 2, 2, 3) returning id",
    );
    await client.query(
      `insert into finding (incident, rule_id, rule_version, lane, key, first_us, last_us, raised_us, count, evidence_first, evidence_latest, entities)
       values ($1, 'older', 1, 'live', 'k', 1, 2, 2, 3, '[]', '[]', '{}')`,
      [made.rows[0]!.id],
    );
    expect((await get("/rules", reader)).body.rules.map((r: { id: string }) => r.id)).toContain("older");
    expect((await get("/rules/older", reader)).body.text).toContain(old);
    expect((await get(`/incidents/${made.rows[0]!.id}`, reader)).body).toMatchObject({ rules: [{ id: "older" }] });
    const off = await request(app)
      .patch(`${API}/rules/older`)
      .set("authorization", `Bearer ${actor}`)
      .send({ enabled: false });
    expect([off.status, off.body.rule?.enabled]).toEqual([200, false]);
    await client.query("delete from finding where incident = $1", [made.rows[0]!.id]);
    await client.query("delete from incident where id = $1", [made.rows[0]!.id]);
    await client.end();
  });
  test("saved by several at the same moment, each has a version of its own", async () => {
    const saved = await Promise.all(
      [3, 4, 5, 6].map((n) => post("/rules", { text: RULE.replace("mine", "ours").replace("name: ", `name: n${n} `) })),
    );
    expect(saved.map((s) => s.status)).toEqual([200, 200, 200, 200]);
    const { body } = await get("/rules/ours", reader);
    expect(body.versions.map((v: { version: number }) => v.version)).toEqual([4, 3, 2, 1]);
  });
  test("a rehearsal over what is stored, against another version", async () => {
    const text = RULE.replace("app is nothing-says-so", "kind is syslog").replace(/tests:[\s\S]*/, "");
    const answer = await post("/rules/rehearse", {
      text: text.replace("count: 2", "count: 1"),
      against: text.replace("count: 2", "count: 9999"),
      from: "1970-01-01T00:00:00Z",
    })
      .buffer(true)
      .parse((res, done) => {
        let all = "";
        res.on("data", (part: Buffer) => {
          all += part.toString();
        });
        res.on("end", () => done(null, all));
      });
    const lines = String(answer.body)
      .trim()
      .split("\n")
      .map((l) => JSON.parse(l));
    const last = lines[lines.length - 1];
    expect(last).toMatchObject({ done: true, share: 1, against: { findings: 0 } });
    expect(last.findings).toBeGreaterThan(0);
    expect(last.records).toBeGreaterThan(0);
  });
});

test.each<[string, () => PromiseLike<{ status: number; body: { error?: object } }>, string, string | undefined]>([
  ["asked by its name", () => get("/records?filtr=x"), "filtr", "filter"],
  ["asked in a body", () => api.post("/records", { filtr: "x" }), "filtr", "filter"],
  ["of what is to be kept", () => api.post("/notify/routes", { name: "r", severty: "error" }), "severty", "severity"],
  ["that is like none", () => api.post("/lists", { name: "l", kind: "address", zzz: 1 }), "zzz", undefined],
])("a name that nothing has is refused, %s", async (_how, ask, field, suggestion) => {
  const { status, body } = await ask();
  expect([status, body.error]).toEqual([
    400,
    expect.objectContaining({ code: "BAD_REQUEST", field, message: expect.stringContaining(`“${field}” here`) }),
  ]);
  expect((body.error as { suggestion?: string }).suggestion).toBe(suggestion);
});
