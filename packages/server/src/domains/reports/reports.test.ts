import { execFileSync } from "node:child_process";
import type { LimitList, PartAnswer, ReportKept, ReportMade } from "@halvik/contract/reports";
import { isOwn } from "@halvik/core/query/measure";
import { Part, READY_REPORTS } from "@halvik/core/report";
import fc from "fast-check";
import { type ParsedMail, simpleParser } from "mailparser";
import { SMTPServer } from "smtp-server";
import { arbitraryRecord } from "../../../../core/src/testing/filters.js";
import { connectionOf, createPool, type Pool } from "../../kernel/db/pool.js";
import { Jobs } from "../../kernel/jobs/jobs.js";
import { WorkTooLong } from "../../kernel/threads/work-errors.js";
import { freePort } from "../../testing/free-port.js";
import { RoleProcess } from "../../testing/roles.js";
import { eventually } from "../../testing/test-database.js";
import { TestStore } from "../../testing/test-store.js";
import { lookForDue } from "./due-runs.js";
import { makePart, type PartNeeds } from "./make-part.js";

/** Reports over a store of random records, held against what another hand counts of the same records. */
let store: TestStore;
const AT = "2023-11-16T12:00:00Z";
const WINDOW = { from: "2023-11-14T00:00:00Z", to: "2023-11-16T00:00:00Z" };

interface Shown {
  readonly [name: string]: unknown;
  readonly sender: { readonly name: string };
  readonly users?: readonly string[];
  readonly flow?: { readonly ingress?: number };
  readonly data?: readonly (readonly [string, string])[];
}

beforeAll(async () => {
  store = await TestStore.start();
  const senders = [await store.addSender("rt-1", "Hestnes"), await store.addSender("rt-2", "Lysgrund")];
  const contents = fc.sample(arbitraryRecord, { seed: 17, numRuns: 400 });
  // no decoder gives an interface without a name
  const named = contents.map((content) => ({ ...content, interface: content.interface || null }));
  await store.put(named.map((content, i) => ({ sender: senders[i % 2]!, content })));
}, 240_000);
afterAll(() => store?.dispose(), 240_000);

/** Records of a filter as the export gives them, line by line. */
async function exported(filter: string): Promise<Shown[]> {
  const query = new URLSearchParams({ filter, ...WINDOW, format: "jsonl" });
  const { body } = await store.api
    .get(`/records/export?${query}`)
    .buffer(true)
    .parse((res, done) => {
      let all = "";
      res.setEncoding("utf8");
      res.on("data", (part: string) => {
        all += part;
      });
      res.on("end", () => done(null, all));
    });
  const lines = (body as string).split("\n").filter((l) => l !== "");
  return lines.map((l) => JSON.parse(l) as Shown);
}

const small = (text: unknown): string => String(text).replace(/[A-Z]/g, (c) => c.toLowerCase());
const FIELD: Readonly<Record<string, (r: Shown) => unknown[]>> = {
  sender: (r) => [r.sender.name],
  user: (r) => (r.users ?? []).map(small),
  "dst port": (r) => [r.dstPort],
  ingress: (r) => [r.flow?.ingress],
  policy: (r) => (r.data ?? []).filter(([n]) => n === "policy" || n.endsWith(" policy")).map(([, v]) => small(v)),
  problem: (r) => [(r.problem as { code: string } | undefined)?.code],
};
const TEXTS = ["host", "app", "interface", "application"];
function valuesOf(field: string, r: Shown): string[] {
  const own = FIELD[field];
  const all =
    own === undefined ? [TEXTS.includes(field) && r[field] !== undefined ? small(r[field]) : r[field]] : own(r);
  return [...new Set(all.filter((v) => v !== undefined && v !== null && v !== "").map(String))];
}

const recounted = READY_REPORTS.flatMap((report) =>
  report.parts.flatMap((part) =>
    "measure" in part &&
    part.is !== "hours of the week" &&
    !isOwn(part.measure) &&
    part.measure.by.every((g) => "field" in g && g.field !== "event")
      ? [[`${report.name}: ${part.title}`, { ...part, measure: part.measure }] as const]
      : [],
  ),
);

test.each(recounted)("%s: equals a recount over the export", async (_name, part) => {
  const { measure } = part;
  const answer = await store.api.post("/reports/part", {
    part: part.is === "bars" || part.is === "table" ? { ...part, measure: { ...measure, top: 0 } } : part,
    period: { last: 2, unit: "day" },
    at: AT,
    zone: "UTC",
  });
  const { part: made, window } = answer.body as PartAnswer;
  expect(window).toEqual({ from: "2023-11-14T00:00:00.000000Z", to: "2023-11-16T00:00:00.000000Z" });
  if (made.is !== "measured") throw new Error(JSON.stringify(made));
  const { measured } = made;
  const records = await exported(measure.filter);
  const matching =
    measure.figure.of === "share" ? await exported(`(${measure.filter}) and (${measure.figure.filter})`) : [];
  const figure = (of: readonly Shown[]): number | string | null => {
    switch (measure.figure.of) {
      case "records":
        return of.length;
      case "sum": {
        const numbers = of.flatMap((r) => (r.bytes === undefined ? [] : [BigInt(r.bytes as number | string)]));
        const sum = numbers.reduce((a, b) => a + b, 0n);
        const most = 2n ** 63n - 1n;
        if (measure.perSecond) return numbers.length === 0 ? null : (Number(sum > most ? most : sum) * 8) / 172_800;
        return numbers.length === 0
          ? null
          : sum > most
            ? String(most)
            : sum > 2n ** 53n - 1n
              ? String(sum)
              : Number(sum);
      }
      case "distinct":
        return new Set(of.flatMap((r) => valuesOf((measure.figure as { values: { field: string } }).values.field, r)))
          .size;
      case "share":
        return of.length === 0 ? null : (100 * matching.length) / of.length;
      default:
        throw new Error(measure.figure.of);
    }
  };
  const groups = new Map<string, Shown[]>();
  for (const r of records) {
    const [one = [], two = [""]] = measure.by.map((g) => valuesOf((g as { field: string }).field, r));
    if (measure.by.length > 0)
      for (const x of one) for (const y of two) groups.set(`${x}|${y}`, [...(groups.get(`${x}|${y}`) ?? []), r]);
  }
  expect(measured.total.value).toEqual(figure(records));
  expect(new Map(measured.rows.map((r) => [`${r.labels[0]}|${r.labels[1] ?? ""}`, r.value]))).toEqual(
    new Map([...groups].map(([name, of]) => [name, figure(of)])),
  );
  // the filter of a row finds the records of the row
  for (const row of measured.rows.slice(0, 3)) expect((await exported(row.filter!)).length).toBe(row.records);
});

test("a limit is where its rule's figure is: of the nearest key, by stretches, held against a recount", async () => {
  const everyUs = 600e6;
  // all of it within one stretch: of a new one another is the last that is over
  const leftUs = everyUs - ((Date.now() * 1_000) % everyUs);
  if (leftUs < 20e6) await new Promise((later) => setTimeout(later, leftUs / 1_000 + 1));
  const end = Math.floor((Date.now() * 1_000) / everyUs) * everyUs;
  const [record] = fc.sample(arbitraryRecord, { seed: 5, numRuns: 1 });
  const [sender] = [await store.addSender("rt-9")];
  const at = (host: string, back: number, bytes: number) => ({
    sender,
    content: { ...record!, host, bytes, timeUs: end - back * everyUs + 1, app: "meter" },
  });
  // the last stretch that is over has the most of b, an earlier one of a; what goes on now is not asked
  await store.put([at("a", 1, 100), at("b", 1, 700), at("b", 1, 50), at("a", 3, 5_000), at("a", 0, 9_999)]);
  const rule = {
    id: "much-metered",
    name: "Much metered",
    kind: "departure",
    severity: "warning",
    filter: "app is meter",
    key: ["host"],
    measure: { of: "sum", field: "bytes" },
    everySeconds: 600,
    judgement: { by: "line", side: "over", raiseAt: 1_500, clearAt: 1_000 },
    title: "much",
    clear: { by: "condition" },
  };
  expect((await store.api.post("/rules", { text: JSON.stringify(rule), isNew: true })).status).toBe(200);
  const { limits } = (await store.api.get("/limits")).body as LimitList;
  const limit = limits.find((l) => l.rule === "much-metered")!;
  expect(limit).toMatchObject({
    key: ["b"],
    value: 750,
    near: 0.5,
    unit: "bytes",
    enabled: true,
    crossed: null,
    why: "",
  });
  expect(limit.course.slice(-3)).toEqual([0, 0, 750]);
  // the shipped ones that no figure of reports tells say so
  expect(limits.filter((l) => l.value === null).map((l) => l.why)).not.toContain("");
  // those by their own usual have no line, and stand there too
  const usual = limits.filter((l) => l.side === "usual");
  expect(usual.length).toBeGreaterThan(0);
  expect(usual.filter((l) => l.raiseAt !== null || l.near !== null)).toEqual([]);

  // a report shows the limits that guard what it tells: of the same records, by the same, or of one of its rows
  const rowRule = { ...rule, id: "b-metered", name: "B metered", filter: 'app is meter and host is "b"', key: [] };
  expect((await store.api.post("/rules", { text: JSON.stringify(rowRule), isNew: true })).status).toBe(200);
  const touching = async (measure: object) => {
    const part = { is: "bars", title: "t", measure: { figure: { of: "sum", number: { field: "bytes" } }, ...measure } };
    const { body } = await store.api.post("/reports/part", { part, period: { last: 1, unit: "day", whole: false } });
    const made = (body as PartAnswer).part;
    return made.is === "measured" ? made.measured.limits.map((l) => [l.rule, l.key, l.near]).sort() : body;
  };
  expect(await touching({ filter: "APP is meter", by: [{ field: "host" }] })).toEqual([
    ["b-metered", [], 0.5],
    ["much-metered", ["b"], 0.5],
  ]);
  expect(await touching({ filter: "app is meter", by: [{ field: "kind" }] })).toEqual([]);
  expect(await touching({ filter: "app is meter", by: [{ field: "host" }], figure: { of: "records" } })).toEqual([]);

  // looked at more often than it is long: the last ten minutes, wherever they begin
  const often = { ...rule, id: "often-metered", name: "Often", lookEverySeconds: 60 };
  const share = {
    ...{ ...rule, id: "share-metered", name: "Share", kind: "ratio", of: "app is meter", filter: "bytes over 99" },
    ...{ measure: undefined, judgement: undefined, least: 2, side: "over", raiseAt: 0.8, clearAt: 0.5 },
  };
  for (const more of [often, share])
    expect((await store.api.post("/rules", { text: JSON.stringify(more), isNew: true })).status).toBe(200);
  const isOverAMinute = () => Date.now() * 1_000 - end >= 60e6;
  const wasOver = isOverAMinute();
  const more = ((await store.api.get("/limits")).body as LimitList).limits;
  const isOver = isOverAMinute();
  // of a there was one record in the last stretch, of b one of two is over 99 bytes
  expect(more.find((l) => l.rule === "share-metered")).toMatchObject({
    key: ["b"],
    value: 50,
    raiseAt: 80,
    near: 0.625,
  });
  const rolling = more.find((l) => l.rule === "often-metered")!;
  expect([rolling.everySeconds, rolling.courseEverySeconds]).toEqual([600, 600]);
  // what goes on now counts as soon as a minute of it is over: here before, while or after it was asked
  const may = [wasOver, isOver].map((over) => (over ? [["a"], 9_999] : [["b"], 750]));
  expect(may).toContainEqual([rolling.key, rolling.value]);
});

test("of two who change one report at the same time the second is told, and loses nothing", async () => {
  const report = { name: "Ours", period: { last: 1, unit: "day" }, parts: [{ is: "text", markdown: "a" }] };
  const { id, changed } = (await store.api.post("/reports", report).expect(200)).body as ReportKept;
  const save = (markdown: string, known: string) =>
    store.api.patch(`/reports/${id}`, { report: { ...report, parts: [{ is: "text", markdown }] }, changed: known });
  const first = await save("b", changed);
  expect(first.status).toBe(200);
  const second = await save("c", changed);
  expect([second.status, second.body.error.message]).toEqual([409, expect.stringMatching(/has changed this report/)]);
  const kept = (await store.api.get(`/reports/${id}`)).body as ReportKept;
  expect(kept.report.parts).toEqual([{ is: "text", markdown: "b" }]);
  expect((await save("c", kept.changed)).status).toBe(200);
  expect((await save("d", "yesterday")).status).toBe(400);
  expect((await store.api.patch("/reports/999999", { report, changed })).status).toBe(404);
});

test.each<[string, Error, string | RegExp]>([
  ["one that takes too long", new WorkTooLong("measure", 20_000), /took longer than allowed/],
  ["a statement past its time", Object.assign(new Error("canceling"), { code: "57014" }), /took longer than allowed/],
])("%s is a part that says so, and no end of the report", async (_what, error, why) => {
  const part = Part.parse({ is: "figure", title: "T", measure: {} });
  const needs = { read: () => Promise.reject(error), ask: () => ({}), senders: null } as unknown as PartNeeds;
  const scope = { window: { fromUs: 0, toUs: 1 }, before: null, zone: "UTC", filter: "", senders: null };
  expect(await makePart(needs, part, scope)).toEqual({ is: "failed", title: "T", why: expect.stringMatching(why) });
  const away = Object.assign(new Error("away"), { code: "ECONNREFUSED" });
  await expect(makePart({ ...needs, read: () => Promise.reject(away) }, part, scope)).rejects.toBe(away);
});

test("an output beside an earlier one: what was, by row; what is not told of then is not said to be nothing", async () => {
  const [record] = fc.sample(arbitraryRecord, { seed: 7, numRuns: 1 });
  const names = ["then-1", "both-1", "both-2", "now-1"];
  const senders = new Map<string, number>();
  for (const name of names) senders.set(name, await store.addSender(name));
  const put = (day: number, brought: Record<string, number>) =>
    store.put(
      Object.entries(brought).flatMap(([name, n]) =>
        Array.from({ length: n }, (_, i) => ({
          sender: senders.get(name)!,
          content: { ...record!, timeUs: Date.UTC(2023, 11, day, 1) * 1_000 + i },
        })),
      ),
    );
  await put(2, { "then-1": 9, "both-1": 4, "both-2": 1 });
  await put(3, { "both-1": 8, "both-2": 2, "now-1": 3 });
  const figure = { is: "figure", title: "All", measure: {} };
  const top = { is: "bars", title: "By sender", measure: { by: [{ field: "sender" }], top: 1 } };
  const all = { is: "bars", title: "All by sender", compare: true, measure: { by: [{ field: "sender" }], top: 0 } };
  const report = { name: "Twice", period: { last: 1, unit: "day" }, parts: [figure, top, all] };
  const { id } = (await store.api.post("/reports", report).expect(200)).body as ReportKept;
  const run = async (at: string) =>
    ((await store.api.post(`/reports/${id}/runs`, { at, zone: "UTC" }).expect(200)).body as ReportKept).runs[0]!.id;
  const [earlier, second] = [await run("2023-12-03T00:00:00Z"), await run("2023-12-04T00:00:00Z")];
  const then = (await store.api.get(`/reports/${id}/runs/${earlier}`)).body as ReportMade;
  const both = (await store.api.get(`/reports/${id}/runs/${second}?beside=${earlier}`)).body as ReportMade;
  const measured = (made: ReportMade, i: number) => {
    const part = made.parts[i]!;
    if (part.is !== "measured") throw new Error(part.is);
    return part.measured;
  };
  expect([both.comparable, both.before]).toEqual([true, then.window]);
  expect(measured(both, 0).total).toMatchObject({ value: 13, before: 14 });
  const rows = (i: number) => measured(both, i).rows.map((r) => [...r.labels, r.value, r.before]);
  expect(rows(2)).toEqual([
    ["both-1", 8, 4],
    ["now-1", 3, 0],
    ["both-2", 2, 1],
  ]);
  // of then the greatest alone is kept, and that was another
  expect(rows(1)).toEqual([["both-1", 8, null]]);

  // who came for the first time, and how many for each of others
  const ask = async (is: string, measure: object) => {
    const part = { is, title: "t", measure, ...(is === "course" ? { step: "6 hours" } : {}) };
    const asked = { part, period: report.period, at: "2023-12-04T00:00:00Z", zone: "UTC" };
    const answer = ((await store.api.post("/reports/part", asked)).body as PartAnswer).part;
    if (answer.is !== "measured") return answer;
    const { total, rows: told, unit, complete } = answer.measured;
    return { value: total.value, steps: total.steps, rows: told.map((r) => [...r.labels, r.value]), unit, complete };
  };
  const ours = `sender is ${names.join(", ")}`;
  const first = (filter: string) => ({ figure: { of: "first seen", values: { field: "sender" } }, filter });
  expect(await ask("course", first(ours))).toMatchObject({
    value: 1,
    steps: [1, 0, 0, 0],
    unit: "values",
    complete: true,
  });
  expect(await ask("bars", { ...first(ours), by: [{ field: "sender" }] })).toMatchObject({
    rows: expect.arrayContaining([
      ["now-1", 1],
      ["both-1", 0],
    ]),
  });
  // of those that match: it was never seen among these before
  expect(await ask("figure", first(`${ours} and time over 2023-12-03T00:00:00Z`))).toMatchObject({ value: 3 });
  expect(await ask("bars", { ...first(ours), by: [{ field: "kind" }, { field: "host" }] })).toMatchObject({
    is: "failed",
  });
  const each = { of: "ratio", filter: "sender is both-1", to: "sender is both-2" };
  expect(await ask("figure", { figure: each, filter: ours })).toMatchObject({ value: 4, unit: "" });
  expect(await ask("figure", { figure: { ...each, to: "sender is then-1" }, filter: ours })).toMatchObject({
    value: null,
  });
  const csv = await store.api.get(`/reports/${id}/runs/${second}/file?format=csv&part=0&beside=${earlier}`);
  expect(csv.status).toBe(200);
  expect((await store.api.get(`/reports/${id}/runs/${second}?beside=999999`)).status).toBe(404);
});

test("what exporters estimated from samples is said, and how much of all it is", async () => {
  const [record] = fc.sample(arbitraryRecord, { seed: 7, numRuns: 1 });
  const [whole, sampled] = [await store.addSender("whole"), await store.addSender("sampled")];
  const flow = (sender: number, bytes: number, marks: readonly "estimated"[]) => ({
    sender,
    content: { ...record!, timeUs: Date.UTC(2023, 11, 10, 1) * 1_000, bytes, marks },
  });
  await store.put([flow(whole, 300, []), flow(sampled, 100, ["estimated"])]);
  const ask = async (measure: object, is = "bars") => {
    const by = is === "bars" ? { by: [{ field: "sender" }] } : {};
    const part = { is, title: "t", measure: { filter: "sender is whole, sampled", ...by, ...measure } };
    const asked = { part, period: { last: 1, unit: "day" }, at: "2023-12-11T00:00:00Z", zone: "UTC" };
    const answer = ((await store.api.post("/reports/part", asked)).body as PartAnswer).part;
    if (answer.is !== "measured") return answer;
    const { total, rows, estimated } = answer.measured;
    return { estimated, exact: total.exact, rows: rows.map((r) => [r.labels[0], r.value, r.exact]) };
  };
  const bytes = { field: "bytes" };
  expect(await ask({ figure: { of: "sum", number: bytes } })).toEqual({
    estimated: 25,
    exact: false,
    rows: [
      ["whole", 300, true],
      ["sampled", 100, false],
    ],
  });
  // of other figures only that some of it is
  expect(await ask({ figure: { of: "greatest", number: bytes } }, "figure")).toEqual({
    estimated: 0,
    exact: false,
    rows: [],
  });
  expect(await ask({ figure: { of: "sum", number: bytes }, filter: "sender is whole" })).toMatchObject({
    estimated: null,
    exact: true,
  });
  expect(await ask({})).toMatchObject({ estimated: null, exact: true });
});

test("steps in which nobody listened are gaps, not nothing; where something is they are none", async () => {
  const [record] = fc.sample(arbitraryRecord, { seed: 7, numRuns: 1 });
  const sender = await store.addSender("gappy");
  const at = (hour: number) => Date.UTC(2023, 11, 20, hour) * 1_000;
  const put = (...hours: number[]) =>
    store.put(hours.map((h) => ({ sender, content: { ...record!, timeUs: at(h) + 1 } })));
  await put(1, 13);
  // listened until 3, and again from 15: at 13 something came late, of 6 to 12 nothing is known
  await store.client.query("insert into listening (from_us, to_us) values ($1, $2), ($3, $4)", [
    at(0),
    at(3),
    at(15),
    at(24),
  ]);
  const ask = async (is: string, more: object) => {
    const part = { is, title: "t", measure: { filter: "sender is gappy", ...more }, step: "6 hours" };
    const asked = { part, period: { last: 1, unit: "day" }, at: "2023-12-21T00:00:00Z", zone: "UTC" };
    return ((await store.api.post("/reports/part", asked)).body as PartAnswer).part;
  };
  expect(await ask("course", {})).toMatchObject({
    measured: { gaps: [1], total: { steps: [1, null, 1, null], value: 2 } },
  });
  expect(await ask("profile", { by: [{ field: "sender" }] })).toMatchObject({
    measured: { gaps: [1], rows: [{ steps: [1, null, 1, null] }] },
  });
  await store.client.query("delete from listening");
});

test("exclusions come before totals and shares", async () => {
  const part = (filter: string) => ({ is: "bars", title: "t", measure: { filter, by: [{ field: "kind" }], top: 1 } });
  const ask = async (filter: string) => {
    const { body } = await store.api.post("/reports/part", {
      part: part(filter),
      period: { last: 2, unit: "day" },
      at: AT,
      zone: "UTC",
    });
    return ((body as PartAnswer).part as Extract<PartAnswer["part"], { is: "measured" }>).measured;
  };
  const all = await ask("");
  const without = await ask(`not kind is ${all.rows[0]!.labels[0]}`);
  expect(without.rows[0]!.labels).not.toEqual(all.rows[0]!.labels);
  expect(without.total.value).toBe(Number(all.total.value) - Number(all.rows[0]!.value));
});

describe("made, and taken away", () => {
  const hostile = "=cmd|' /C calc'!A0 <script>alert(1)</script> \u202e \u{1f600}";
  let made: { id: number; run: number };
  const file = async (format: string, more = "") =>
    (
      await store.api
        .get(`/reports/${made.id}/runs/${made.run}/file?format=${format}${more}`)
        .buffer(true)
        .parse((res, done) => {
          const parts: Buffer[] = [];
          res.on("data", (p: Buffer) => parts.push(p));
          res.on("end", () => done(null, Buffer.concat(parts)));
        })
    ).body as Buffer;
  beforeAll(async () => {
    const report = {
      name: "Two days",
      about: hostile,
      period: { last: 2, unit: "day" },
      parts: [
        { is: "text", markdown: hostile },
        { is: "figure", title: "All", compare: true, measure: {} },
        { is: "bars", title: hostile, measure: { by: [{ field: "app" }], top: 30 } },
        { is: "course", title: "Over time", measure: {}, step: "hour" },
        { is: "hours of the week", title: "When", measure: {} },
        { is: "records", title: "Records", most: 60 },
        { is: "own figures", title: "Halvik", figures: ["incidents opened"] },
      ],
    };
    const { body } = await store.api.post("/reports", report);
    const { id } = body as ReportKept;
    const run = await store.api.post(`/reports/${id}/runs`, { at: AT, zone: "Europe/Oslo" });
    made = { id, run: (run.body as ReportKept).runs[0]!.id };
  });

  test("as PDF: read back by another program, with its figures, its pages numbered, its fonts in it", async () => {
    const bytes = await file("pdf");
    const text = execFileSync("pdftotext", ["-layout", "-", "-"], { input: bytes, encoding: "utf8" });
    const { body } = await store.api.get(`/reports/${made.id}/runs/${made.run}`);
    const total = (body as ReportMade).parts[1] as Extract<ReportMade["parts"][number], { is: "measured" }>;
    expect(text).toContain("Two days");
    expect(text).toContain(String(total.measured.total.value));
    expect(text).toContain("2023-11-14 00:00 to 2023-11-16 00:00 (the last whole 2 days, Europe/Oslo)");
    expect(text).toContain("not there whole, so nothing is compared");
    expect(text).toMatch(/page 1 of \d+/);
    const fonts = execFileSync("pdffonts", ["-"], { input: bytes, encoding: "utf8" })
      .split("\n")
      .slice(2)
      .filter((l) => l !== "");
    expect(fonts.length).toBeGreaterThan(0);
    for (const font of fonts) expect(font).toMatch(/Roboto.*yes\s+yes\s+yes/);
  });

  test("as CSV: RFC 4180, and no cell is a formula", async () => {
    const csv = (await file("csv", "&part=2")).toString();
    expect(csv.split("\r\n")[0]).toBe("app,records,records,before");
    expect(csv).not.toMatch(/(^|,)[=+@-]/m);
  });

  test("as HTML: nothing of it is markup that was received", async () => {
    const html = (await file("html")).toString();
    expect(html).not.toContain("<script");
    expect(html).not.toContain("\u202e");
    expect(html).toContain("&#60;script&#62;");
  });

  test("a part that is none, a format that is none, an output of another report", async () => {
    const path = `/reports/${made.id}/runs/${made.run}/file`;
    expect((await store.api.get(`${path}?format=csv&part=0`)).status).toBe(404);
    expect((await store.api.get(`${path}?format=doc`)).status).toBe(400);
    expect((await store.api.get(`/reports/${made.id + 1}/runs/${made.run}/file?format=pdf`)).status).toBe(404);
  });

  test("to YAML and back it is the same", async () => {
    const text = (
      await store.api
        .get(`/reports/${made.id}/file`)
        .buffer(true)
        .parse((res, done) => {
          let all = "";
          res.on("data", (p: Buffer) => {
            all += p.toString();
          });
          res.on("end", () => done(null, all));
        })
    ).body as string;
    const { body } = await store.api.post("/reports/read", { text });
    expect((body as { report: object }).report).toEqual(
      ((await store.api.get(`/reports/${made.id}`)).body as ReportKept).report,
    );
  });
});

describe("when it is due", () => {
  const S = 1e6;
  const HOUR = 3_600 * S;
  let db: Pool;
  let jobs: Jobs;
  let id: number;
  const mails: ParsedMail[] = [];
  let smtp: SMTPServer;
  let smtpPort: number;
  /** When the schedule was made: hours after it hold as many moments, whenever this test runs. */
  let scheduledUs = 0;
  const runs = async () => ((await store.api.get(`/reports/${id}`)).body as ReportKept).runs;

  beforeAll(async () => {
    db = createPool(connectionOf(store.instance.config, store.instance.secrets, "web"), 3, 10_000);
    jobs = await Jobs.start(db, (e) => {
      throw e;
    });
    smtpPort = await freePort();
    smtp = new SMTPServer({
      authOptional: true,
      disabledCommands: ["STARTTLS"],
      onData: (stream, _session, done) => {
        void simpleParser(stream).then((mail) => {
          mails.push(mail);
          done();
        });
      },
    });
    await new Promise<void>((ready) => smtp.listen(smtpPort, "127.0.0.1", ready));
    const { body } = await store.api.post("/reports", {
      name: "Hourly",
      period: { last: 1, unit: "hour" },
      parts: [{ is: "figure", title: "Records of the hour", measure: {} }],
    });
    id = (body as ReportKept).id;
    const route = { name: "duty", severity: "error", to: ["duty@orvane.example"], zone: "UTC" };
    const made = await store.api.post("/notify/routes", route);
    const notification = (made.body as { id: number }).id;
    await store.api.post(`/reports/${id}/schedules`, {
      schedule: { when: { every: "cron", cron: "0 * * * *" }, zone: "UTC", routes: [notification], keep: 3 },
    });
    const { rows } = await store.client.query<{ looked_us: number }>("select looked_us from report_schedule");
    scheduledUs = rows[0]!.looked_us;
  });
  afterAll(async () => {
    await jobs?.stop();
    await db?.end();
    await new Promise<void>((done) => smtp.close(() => done()));
  });

  test("each moment of a schedule is one run, however many look for it, and what was missed is made up", async () => {
    const later = scheduledUs + 2 * HOUR;
    const found = await Promise.all([
      lookForDue(db, jobs, later),
      lookForDue(db, jobs, later),
      lookForDue(db, jobs, later),
    ]);
    expect(found.reduce((a, b) => a + b, 0)).toBe(2);
    expect(await lookForDue(db, jobs, later)).toBe(0);
    expect((await runs()).map((r) => r.state)).toEqual(["waiting", "waiting"]);
  });

  test("made by the web process that is there, even the one after one that was killed; told by mail with its figures and its PDF", async () => {
    const env = {
      ...store.instance.env,
      HALVIK_SMTP_URL: `smtp://127.0.0.1:${smtpPort}`,
      HALVIK_MAIL_FROM: "halvik@orvane.example",
    };
    const instance = { ...store.instance, env };
    const first = await RoleProcess.start(instance, "web");
    await first.kill();
    // what it had begun is taken for left undone after minutes: they have passed
    await store.client.query("update jobs.job set started_on = started_on - interval '1 hour' where state = 'active'");
    const second = await RoleProcess.start(instance, "web");
    const notifier = await RoleProcess.start(instance, "notifier");
    await eventually("made", runs, (all) => all.length === 2 && all.every((r) => r.state === "made"));
    await eventually(
      "mailed",
      () => Promise.resolve(mails.length),
      (n) => n >= 2,
    );
    await second.stop();
    await notifier.stop();
    expect(mails).toHaveLength(2);
    expect(new Set(mails.map((m) => m.messageId)).size).toBe(2);
    const [mail] = mails;
    expect(mail!.subject).toBe("Halvik · Hourly");
    expect(mail!.text).toContain("Records of the hour: ");
    expect(mail!.html).toContain("Records of the hour");
    expect(mail!.attachments.map((a) => [a.contentType, a.content.subarray(0, 5).toString()])).toEqual([
      ["application/pdf", "%PDF-"],
    ]);
  });

  test("only so many outputs stay; what somebody who may not read any more had scheduled is not made", async () => {
    const later = scheduledUs + 5 * HOUR;
    await store.client.query("update token set revoked = true where name = 'actor'");
    await lookForDue(db, jobs, later);
    const web = await RoleProcess.start(store.instance, "web");
    const after = await eventually("decided", runsOfReader, (all) => all.every((r) => r.state !== "waiting"));
    await web.stop();
    await store.client.query("update token set revoked = false where name = 'actor'");
    const failed = after.filter((r) => r.state === "failed");
    expect(failed).toHaveLength(3);
    expect(failed[0]!.why).toBe("token actor, who scheduled it, may not read any more");
  });
  const runsOfReader = async () => ((await store.api.get(`/reports/${id}`)).body as ReportKept).runs;

  test("a clock that was ahead for a while keeps nothing from being due when it is right again", async () => {
    await store.client.query("update report_schedule set looked_us = $1", [scheduledUs + 365 * 24 * HOUR]);
    expect(await lookForDue(db, jobs, scheduledUs + 10 * HOUR)).toBe(0);
    expect(await lookForDue(db, jobs, scheduledUs + 11 * HOUR)).toBe(1);
  });

  test("what nobody made within a day has failed", async () => {
    await store.client.query(
      "update report_run set state = 'waiting', due_us = 1 where id = (select max(id) from report_run where state = 'failed')",
    );
    await lookForDue(db, jobs, Date.now() * 1_000);
    expect((await runs()).filter((r) => r.why === "it was not made within a day")).toMatchObject([{ state: "failed" }]);
  });
});
