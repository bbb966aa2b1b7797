import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { AskedAgain, PaperDetail, PaperList, PinAgain, PinMade } from "@halvik/contract/papers";
import { formatUs, US_PER_HOUR, US_PER_SECOND } from "@halvik/core/base/time";
import { emptyContent, type RecordContent } from "@halvik/core/model/record";
import { READY_QUESTIONS } from "@halvik/core/papers";
import request from "supertest";
import { nowUs } from "../../kernel/clock.js";
import { BatchWriter } from "../../store/batches.js";
import { closeSegment, dropSegment } from "../../store/segment-life.js";
import { TestStore } from "../../testing/test-store.js";

/** Investigations from a first pin to what is handed over, by people with different rights. */
let store: TestStore;
let [vpn, dc] = [0, 0];
const T = nowUs() - US_PER_HOUR;
const said = (text: string, secondsAfter: number, parts: Partial<RecordContent> = {}): RecordContent => ({
  ...emptyContent("syslog", T + secondsAfter * US_PER_SECOND, T),
  app: "door",
  text,
  ...parts,
});
const logon = (secondsAfter: number, src: string): RecordContent =>
  said(`accepted k.lind from ${src}`, secondsAfter, {
    category: "logon",
    outcome: "success",
    users: ["k.lind"],
    src,
  });
const WINDOW = { from: formatUs(T - US_PER_HOUR), to: formatUs(T + US_PER_HOUR) };

/** One that does not write to what is gone. */
let writer: BatchWriter;
const fill = () =>
  store.put(
    [
      { sender: vpn, content: logon(0, "203.0.113.9") },
      { sender: dc, content: logon(60, "10.0.0.1") },
      { sender: dc, content: said("strange \u001b[31m``` words", 120, { severity: 3 }) },
    ],
    writer,
  );

beforeAll(async () => {
  store = await TestStore.start();
  [vpn, dc] = [await store.addSender("vpn-1", null, ["10.0.0.1"]), await store.addSender("dc-1", null, ["10.0.0.2"])];
  writer = store.writer;
  await fill();
}, 240_000);
afterAll(() => store?.dispose(), 240_000);

const begin = async (facts: object): Promise<PaperDetail> => (await store.api.post("/papers", facts).expect(200)).body;
const read = async (id: number, token?: string): Promise<PaperDetail> =>
  (await store.api.get(`/papers/${id}`, token ?? store.api.actor).expect(200)).body;
const pin = async (id: number, thing: object, more: object = {}): Promise<PinMade> =>
  (await store.api.post(`/papers/${id}/pins`, { pin: thing, ...more }).expect(200)).body;
const recordOf = async (filter: string): Promise<string> =>
  (await store.api.get(`/records?filter=${encodeURIComponent(filter)}`)).body.records[0].id;
const errorOf = (answer: request.Response) => [answer.status, (answer.body as { error: { code: string } }).error.code];
const asReader = (method: "get" | "post" | "patch" | "delete", path: string, body: object = {}) =>
  request(store.api.app)[method](`/api/v1${path}`).set("authorization", `Bearer ${store.api.reader}`).send(body);

test("an investigation is seen by its people, changed by those who may, and who they are says its owner", async () => {
  const { id, facts, version } = await begin({ name: "Whose night?", question: "Who was on vpn-1?" });
  expect((await asReader("get", `/papers/${id}`)).status).toBe(404);
  expect(((await asReader("get", "/papers")).body as PaperList).papers).toEqual([]);
  // nobody is told of what is not theirs
  expect(errorOf(await asReader("get", `/papers/${id}/hand-over/bundle`))).toEqual([404, "NOT_FOUND"]);
  const people = [{ name: "token reader", may: "write" }];
  const change = (more: object, of = version) =>
    store.api.patch(`/papers/${id}`, { facts: { ...facts, ...more }, version: of });
  expect(errorOf(await change({ people: [{ name: "nobody", may: "read" }] }))).toEqual([400, "BAD_REQUEST"]);
  await change({ people }).expect(200);
  // whoever saw it before does not write over it
  expect(errorOf(await change({ name: "Mine now" }))).toEqual([409, "CONFLICT"]);
  const seen = (await asReader("get", `/papers/${id}`)).body as PaperDetail;
  // a reader's account reads, whatever it was let in for
  expect(seen).toMatchObject({ mayWrite: false, owner: "token actor" });
  for (const [method, path, body] of [
    ["patch", "", { facts, version: 2 }],
    ["delete", "", {}],
    ["post", "/pins", { pin: { is: "record", id: "1" } }],
    ["post", "/entries", { entry: { is: "note", text: "x" } }],
  ] as const)
    expect((await asReader(method, `/papers/${id}${path}`, body)).status).toBe(403);
  // no longer of it: gone at once
  await change({ people: [] }, 2).expect(200);
  expect((await asReader("get", `/papers/${id}`)).status).toBe(404);
  await change({ shared: true }, 3).expect(200);
  expect((await asReader("get", `/papers/${id}`)).body).toMatchObject({ mayWrite: false });
});

test("somebody who lost their account since holds up nobody's work", async () => {
  const people = [{ name: "token reader", may: "read" }];
  const { id, facts } = await begin({ name: "Left", people });
  await store.client.query("update token set revoked = true where name = 'reader'");
  const change = { facts: { ...facts, conclusion: "found" }, version: 1 };
  await store.api.patch(`/papers/${id}`, change).expect(200);
  expect(errorOf(await store.api.post("/papers", { name: "New", people }))).toEqual([400, "BAD_REQUEST"]);
  await store.client.query("update token set revoked = false where name = 'reader'");
});

test("one who writes in another's investigation lets nobody in, and does not delete it", async () => {
  const { id, facts } = await begin({ name: "Another's" });
  await store.client.query("update paper set owner = 'anna' where id = $1", [id]);
  await store.client.query("insert into paper_person values ($1, 'token actor', 'write')", [id]);
  const people = [{ name: "token reader", may: "read" }];
  expect(errorOf(await store.api.patch(`/papers/${id}`, { facts: { ...facts, people }, version: 1 }))).toEqual([
    403,
    "NOT_ALLOWED",
  ]);
  expect(errorOf(await store.api.delete(`/papers/${id}`))).toEqual([403, "NOT_ALLOWED"]);
  await store.api.post(`/papers/${id}/entries`, { entry: { is: "note", text: "seen" } }).expect(200);
});

test("a record is pinned with its bytes once, and stands when its day is gone", async () => {
  const { id } = await begin({ name: "Kept" });
  const [first, second] = [await recordOf("src is 203.0.113.9"), await recordOf("sender is dc-1 and user is k.lind")];
  expect(await pin(id, { is: "record", id: first }, { reason: "the logon", techniques: ["t1078"] })).toEqual({
    number: 1,
    isNew: true,
  });
  expect(await pin(id, { is: "record", id: first }, { reason: "again" })).toEqual({ number: 1, isNew: false });
  await pin(id, { is: "record", id: second });
  expect(errorOf(await store.api.post(`/papers/${id}/pins`, { pin: { is: "record", id: "12" } }))).toEqual([
    404,
    "NOT_FOUND",
  ]);
  const segments = async () =>
    (await store.client.query<{ name: string }>("select name from segment where collector = 1 order by name")).rows;
  for (const { name } of await segments()) {
    await closeSegment(store.client, name);
    await dropSegment(store.client, name, nowUs());
  }
  expect((await store.api.get(`/records/${first}`)).status).toBe(404);
  await store.client.query("update sender set name = 'vpn-old' where id = $1", [vpn]);
  const { pins, leads } = await read(id);
  expect(pins.map((p) => [p.number, p.reason, p.techniques, p.record?.text, p.record?.sender.name])).toEqual([
    [1, "the logon", ["T1078"], "accepted k.lind from 203.0.113.9", "vpn-1"],
    [2, "", [], "accepted k.lind from 10.0.0.1", "dc-1"],
  ]);
  // whoever came in went on from there
  expect(leads).toEqual([{ id: null, from: 1, to: 2, kind: "went on", by: "10.0.0.1" }]);
  await store.client.query("update sender set name = 'vpn-1' where id = $1", [vpn]);
  writer = new BatchWriter(store.client, store.writer.collector, null);
  await fill();
});

test("a search is pinned with its count, and run again it says how many there are now", async () => {
  const { id } = await begin({ name: "Counted" });
  const search = { is: "search", filter: "user is k.lind", ...WINDOW };
  const { number } = await pin(id, search);
  expect((await read(id)).pins[0]!.pinned).toMatchObject({ count: 2, isExact: true, reading: "User is k.lind." });
  await store.put([{ sender: vpn, content: logon(5, "203.0.113.9") }], writer);
  const again = (await store.api.get(`/papers/${id}/pins/${number}/again`, store.api.actor)).body as PinAgain;
  expect(again).toMatchObject({ count: 3, isExact: true, before: { count: 2, isExact: true } });
  // the same search of the same window is pinned already
  expect(await pin(id, search)).toEqual({ number, isNew: false });
  expect(errorOf(await store.api.post(`/papers/${id}/pins`, { pin: { ...search, filter: "usr is x" } }))[0]).toBe(400);
  expect(
    errorOf(await store.api.post(`/papers/${id}/pins`, { pin: { ...search, from: WINDOW.to, to: WINDOW.from } })),
  ).toEqual([400, "BAD_TIME"]);
});

test("shapes, what changed, portraits and charts are pinned as they are now", async () => {
  const { id } = await begin({ name: "All sorts" });
  const { shapes } = (await store.api.get(`/records/shapes?from=${WINDOW.from}&to=${WINDOW.to}`)).body;
  await pin(id, { is: "shape", id: shapes[0].shape.id, ...WINDOW });
  const before = { from: formatUs(T - 3 * US_PER_HOUR), to: WINDOW.from };
  await pin(id, { is: "contrast", against: [before], ...WINDOW });
  await pin(id, { is: "portrait", kind: "user", value: "K.Lind", ...WINDOW });
  const chart = {
    title: "Records",
    unit: "records",
    steps: [WINDOW.from, WINDOW.to],
    series: [{ name: "all", values: [4] }],
  };
  await pin(id, { is: "chart", chart });
  const { pins } = await read(id);
  expect(pins.map((p) => p.pinned)).toMatchObject([
    { is: "shape", count: expect.any(Number), isExact: true },
    { is: "contrast", isCounted: true },
    {
      is: "portrait",
      kind: "user",
      facts: expect.arrayContaining([["of severity", expect.stringMatching(/^\d informational$/)]]),
    },
    { is: "chart", chart: { series: [{ values: [4] }] } },
  ]);
  expect(errorOf(await store.api.post(`/papers/${id}/pins`, { pin: { is: "incident", id: 999 } }))).toEqual([
    404,
    "NOT_FOUND",
  ]);
  expect(errorOf(await store.api.post(`/papers/${id}/pins`, { pin: { is: "shape", id: 999_999, ...WINDOW } }))).toEqual(
    [404, "NOT_FOUND"],
  );
});

const PNG = Buffer.from(
  "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==",
  "base64",
);
const upload = (id: number, name: string, bytes: Buffer) =>
  request(store.api.app)
    .post(`/api/v1/papers/${id}/files?name=${encodeURIComponent(name)}`)
    .set("authorization", `Bearer ${store.api.actor}`)
    .set("content-type", "application/octet-stream")
    .send(bytes);

test("a picture is what its bytes say, anything else is taken home and never shown", async () => {
  const { id } = await begin({ name: "Files" });
  await upload(id, "screen.html", PNG).expect(200);
  await upload(id, "harmless.png", Buffer.from("<script>alert(1)</script>")).expect(200);
  expect((await upload(id, "screen.html", PNG)).body).toEqual({ number: 1, isNew: false });
  const get = (number: number) => store.api.get(`/papers/${id}/files/${number}`, store.api.actor);
  const picture = await get(1);
  expect([picture.headers["content-type"], picture.body]).toEqual(["image/png", PNG]);
  const { headers } = await get(2);
  expect(headers["content-type"]).toBe("application/octet-stream");
  expect(headers["content-disposition"]).toBe("attachment; filename=harmless.png");
  expect(headers["x-content-type-options"]).toBe("nosniff");
  expect((await store.api.get(`/papers/${id}/files/1`)).status).toBe(404);
  expect((await upload(id, "a\u202egnp.exe", PNG)).status).toBe(400);
  expect((await upload(id, "empty", Buffer.alloc(0))).status).toBe(400);
  expect((await upload(id, "huge", Buffer.alloc(20_000_001))).status).toBe(400);
});

test("two who write at once: nothing is overwritten silently, and a closed one stays as it is", async () => {
  const { id, facts } = await begin({ name: "Two pens" });
  const write = async (entry: object): Promise<PaperDetail> =>
    (await store.api.post(`/papers/${id}/entries`, { entry }).expect(200)).body;
  const { entries } = await write({ is: "note", text: "first" });
  const note = entries[0]!;
  const change = (text: string, version: number) =>
    store.api.patch(`/papers/${id}/entries/${note.id}`, { entry: { is: "note", text }, version });
  await change("second", 1).expect(200);
  expect(errorOf(await change("over it", 1))).toEqual([409, "CONFLICT"]);
  expect((await read(id)).entries[0]).toMatchObject({
    entry: { text: "second" },
    version: 2,
    changedBy: "token actor",
  });
  // what it is stays: a note becomes no task
  const task = { entry: { is: "task", text: "x" }, version: 2 };
  expect(errorOf(await store.api.patch(`/papers/${id}/entries/${note.id}`, task))).toEqual([409, "CONFLICT"]);
  await write({ is: "question", text: "why?" });
  expect(((await store.api.get("/papers?text=SECOND", store.api.actor)).body as PaperList).papers).toMatchObject([
    { id, open: 1, pins: 0 },
  ]);
  const closing = { facts: { ...facts, state: "closed", conclusion: "done" }, version: 1 };
  expect((await store.api.patch(`/papers/${id}`, closing)).body.closed).not.toBeNull();
  expect(errorOf(await change("late", 2))).toEqual([409, "CONFLICT"]);
  expect(errorOf(await store.api.patch(`/papers/${id}`, { ...closing, version: 2 }))).toEqual([409, "CONFLICT"]);
  expect(errorOf(await store.api.post(`/papers/${id}/pins`, { pin: { is: "record", id: "1" } }))).toEqual([
    409,
    "CONFLICT",
  ]);
  await store.api.patch(`/papers/${id}`, { facts, version: 2 }).expect(200);
  await change("on again", 2).expect(200);
});

test("a closed one with the same account is offered as an earlier one like it, to those who may read it", async () => {
  const closed = await begin({ name: "The first time", state: "open" });
  const record = await recordOf("sender is dc-1 and user is k.lind");
  await pin(closed.id, { is: "record", id: record });
  await store.api.patch(`/papers/${closed.id}`, {
    facts: { ...closed.facts, state: "closed", conclusion: "a guessed account" },
    version: 1,
  });
  const { id } = await begin({ name: "The second time", shared: true });
  await pin(id, { is: "portrait", kind: "user", value: "K.LIND", ...WINDOW });
  const like = (p: PaperDetail) => p.earlier.find((e) => e.id === closed.id);
  expect(like(await read(id))).toMatchObject({ conclusion: "a guessed account", shares: ["user k.lind"] });
  expect(like(await read(id, store.api.reader))).toBeUndefined();
});

test("arrows are drawn between pins that are there, and go with them", async () => {
  const { id } = await begin({ name: "Arrows" });
  for (const filter of ["a", "b"]) await pin(id, { is: "search", filter: `text has ${filter}`, ...WINDOW });
  const draw = (from: number, to: number, why = "") => store.api.post(`/papers/${id}/links`, { from, to, why });
  expect((await draw(1, 2, "so")).body.leads).toMatchObject([{ from: 1, to: 2, kind: "drawn", by: "so" }]);
  // once more says it anew
  expect((await draw(1, 2, "rather")).body.leads).toMatchObject([{ by: "rather" }]);
  expect(errorOf(await draw(1, 3))).toEqual([404, "NOT_FOUND"]);
  expect(errorOf(await draw(1, 1))).toEqual([400, "BAD_REQUEST"]);
  const { body } = await store.api.delete(`/papers/${id}/pins/2`);
  expect(body).toMatchObject({ leads: [], pins: [{ number: 1 }] });
  // a number is never given twice
  expect((await pin(id, { is: "search", filter: "text has c", ...WINDOW })).number).toBe(3);
});

test("what is handed over can be checked without Halvik", async () => {
  const { id } = await begin({ name: "Over ``` to | you", question: "What?" });
  await pin(id, { is: "record", id: await recordOf("text has strange") }, { reason: "look | at `this`" });
  await upload(id, "memo.txt", Buffer.from("a memo"));
  const get = (as: string) => store.api.get(`/papers/${id}/hand-over/${as}`, store.api.actor).buffer(true).parse(bytes);
  const directory = mkdtempSync(join(tmpdir(), "halvik-bundle-"));
  try {
    writeFileSync(join(directory, "a.zip"), (await get("bundle").expect(200)).body as Buffer);
    execFileSync("python3", ["-m", "zipfile", "-e", join(directory, "a.zip"), directory]);
    const checked = execFileSync("sha256sum", ["--check", "SHA256SUMS"], { cwd: directory, encoding: "utf8" });
    const file = (name: string) => readFileSync(join(directory, name), "utf8");
    const manifest = JSON.parse(file("manifest.json")) as { records: number; files: { name: string }[] };
    expect(checked.split("\n").filter((l) => l.endsWith(": OK"))).toHaveLength(manifest.files.length);
    expect(manifest).toMatchObject({ records: 1, investigation: { id } });
    expect(manifest.files.map((f) => f.name)).toEqual([
      "summary.md",
      "summary.pdf",
      "papers.json",
      "records.jsonl",
      "raw/pin-1.bin",
      "files/pin-2.txt",
      "stix.json",
      "iodef.json",
    ]);
    expect(file("raw/pin-1.bin")).toBe("strange \u001b[31m``` words");
    expect(file("files/pin-2.txt")).toBe("a memo");
    expect(JSON.parse(file("records.jsonl"))).toMatchObject({ pin: 1, text: "strange \u001b[31m``` words" });
    expect(file("summary.md")).toContain("# Over \\`\\`\\` to \\| you");
    const pdf = execFileSync("pdftotext", [join(directory, "summary.pdf"), "-"], { encoding: "utf8" });
    expect(pdf).toContain("look | at `this`");
  } finally {
    rmSync(directory, { recursive: true, force: true });
  }
  expect((await get("stix")).headers["content-type"]).toContain("application/stix+json");
  expect(JSON.parse(((await get("iodef")).body as Buffer).toString())).toMatchObject({ version: "2.0" });
});
const bytes = (res: request.Response, done: (e: Error | null, body: Buffer) => void) => {
  const parts: Buffer[] = [];
  const from = res as unknown as NodeJS.ReadableStream;
  from.on("data", (part: Buffer) => parts.push(part)).on("end", () => done(null, Buffer.concat(parts)));
};

describe("ask again", () => {
  const ask = async (of: string, value: string, searches: readonly object[]): Promise<AskedAgain> =>
    (await store.api.post("/ask-again", { of, value, searches, ...WINDOW }, store.api.reader).expect(200)).body;

  test("each search is a line with its count, its first and its last", async () => {
    const set = READY_QUESTIONS.find((s) => s.name === "This account")!;
    const { lines } = await ask("user", "ORVANE\\k.lind", set.searches);
    expect(lines.map((l) => l.problem)).toEqual(set.searches.map(() => null));
    expect(lines[0]).toMatchObject({ asks: "logons that worked", count: 0 });
    const own = await ask("user", "k.lind", set.searches);
    expect(own.lines[0]).toMatchObject({
      isExact: true,
      first: formatUs(T),
      last: formatUs(T + 60 * US_PER_SECOND),
    });
  });

  test.each(READY_QUESTIONS.map((s) => [s.name, s] as const))("“%s” can be asked", async (_, set) => {
    const { lines } = await ask(
      set.of,
      ({ address: "203.0.113.9", sender: "dc-1" } as Readonly<Record<string, string>>)[set.of] ?? "x",
      set.searches,
    );
    expect(lines.map((l) => l.problem)).toEqual(set.searches.map(() => null));
  });

  test("one that cannot be asked says why, and the others are answered", async () => {
    const { lines } = await ask("user", "k.lind", [
      { asks: "a", filter: "usr is $value" },
      { asks: "b", filter: "user is $value" },
    ]);
    expect(lines).toMatchObject([{ problem: expect.stringContaining("usr") }, { problem: null, isExact: true }]);
    expect(errorOf(await store.api.post("/ask-again", { of: "address", value: "x", searches: [], ...WINDOW }))[0]).toBe(
      400,
    );
  });

  test("sets of one's own are kept and shared, and changed by their owner alone", async () => {
    const set = { name: "Mine", of: "user", searches: [{ asks: "all", filter: "user is $value" }] };
    const made = (await store.api.post("/question-sets", { set, shared: true }).expect(200)).body.sets[0];
    expect((await store.api.get("/question-sets")).body.sets).toMatchObject([
      { id: made.id, mine: false, set: { name: "Mine" } },
    ]);
    const change = (version: number) => store.api.patch(`/question-sets/${made.id}`, { set, shared: false, version });
    await change(1).expect(200);
    expect(errorOf(await change(1))).toEqual([409, "CONFLICT"]);
    expect((await store.api.get("/question-sets")).body.sets).toEqual([]);
    const bad = { set: { ...set, searches: [{ asks: "x", filter: "user is anna" }] } };
    expect(errorOf(await store.api.post("/question-sets", bad))).toEqual([400, "BAD_REQUEST"]);
  });
});
