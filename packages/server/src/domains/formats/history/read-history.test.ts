import type { FormatReadingList } from "@halvik/contract/formats";
import { type EpochUs, formatUs, US_PER_HOUR, US_PER_SECOND } from "@halvik/core/base/time";
import { applyFormats, OwnFormat } from "@halvik/core/formats";
import { Meanings } from "@halvik/core/meaning";
import { emptyContent, type HalvikRecord, type RecordContent } from "@halvik/core/model/record";
import { SenderDirectory } from "@halvik/core/model/senders";
import { fitContent, syslogRecord } from "@halvik/core/normalise";
import { nowUs } from "../../../kernel/clock.js";
import type { Client } from "../../../kernel/db/pool.js";
import { indexNext } from "../../../store/keeping/index-segments.js";
import { TestStore } from "../../../testing/test-store.js";
import { loadMeanings } from "../../names/repository.js";
import { ready } from "../repository.js";
import { readHistory } from "./read-history.js";

/** History read anew answers as if the format had been there when it arrived, and what is taken back as if nothing had happened. */
const END = Math.floor(nowUs() / US_PER_HOUR) * US_PER_HOUR;
const FORMAT = OwnFormat.parse({
  name: "Cranes",
  filter: "app is craned",
  form: { is: "line", template: "crane {crane:number} {action} {load:number} t by {user} from {src:address}" },
  words: { action: { lifted: "accept", refused: "deny" } },
  sets: { event: "lift" },
});
const READ_BY_ANOTHER = 7;

const WORDS = ["anna", "Björn", "k.lind", "x".repeat(300), "o\u200bdd"];
const line = (i: number): string =>
  i % 5 === 4
    ? `crane ${i} stands still`
    : `crane ${i % 7} ${i % 3 === 0 ? "refused" : "lifted"} ${i} t by ${WORDS[i % WORDS.length]} from 10.20.${i % 3}.${i % 50}`;
const told = (i: number): RecordContent => {
  const timeUs: EpochUs = END - (600 - i) * 30 * US_PER_SECOND;
  return {
    ...emptyContent("syslog", timeUs, timeUs),
    app: i % 11 === 10 ? "other" : "craned",
    severity: 6,
    originalSeverity: "informational",
    text: line(i),
    ...(i === READ_BY_ANOTHER ? { data: [["format", "Somebody's"]] as [string, string][] } : {}),
  };
};
const asRecord = (content: RecordContent): HalvikRecord => ({
  ...content,
  ...{ id: "", sender: 0, endpoint: "", copyOf: null, shape: null },
});
const format = ready(1, FORMAT, new SenderDirectory([]), END);
const atArrival = (content: RecordContent): RecordContent =>
  content.data.length > 0
    ? content
    : fitContent(applyFormats([format], content, asRecord, new Meanings()).content, new Uint8Array());

/** Two parts and what is not indexed yet, of one segment; then a part of another. */
async function filled(read: (content: RecordContent) => RecordContent): Promise<TestStore> {
  const store = await TestStore.start();
  const sender = await store.addSender("quay-1");
  const put = (from: number, to: number) =>
    store.put(Array.from({ length: to - from }, (_, i) => ({ sender, content: read(told(from + i)) })));
  await put(0, 150);
  await put(150, 300);
  while (await indexNext(store.keeper, 120));
  await put(300, 340);
  return store;
}

let store: TestStore;
/** Answers of stores in which it was so from the beginning: while a part is not indexed, and when all is. */
let wanted: readonly [unknown, unknown];
let plain: readonly [unknown, unknown];
beforeAll(async () => {
  wanted = await toldBy(atArrival);
  expect(JSON.stringify(wanted)).not.toContain('"error"');
  plain = await toldBy((c) => c);
  store = await filled((c) => c);
}, 240_000);
afterAll(() => store?.dispose());

async function toldBy(read: (content: RecordContent) => RecordContent): Promise<readonly [unknown, unknown]> {
  const one = await filled(read);
  const before = await answers(one);
  await indexAll(one);
  const after = await answers(one);
  await one.dispose();
  return [before, after];
}
async function indexAll(one: TestStore): Promise<void> {
  await one.client.query("update segment set state = 'closed'");
  while (await indexNext(one.keeper, 120));
}

const WINDOW = `from=${formatUs(END - 6 * US_PER_HOUR)}&to=${formatUs(END)}`;
const ASKED = [
  ...["", "kind is firewall", "user is anna", "user is björn", "src is 10.20.1.7", "src within 10.20.2.0/24"],
  ...["data load over 200", "data crane is 3", "data format is Cranes", "event is lift", "outcome is failure"],
  ...["severity at least warning", "action is deny and user is k.lind", "not kind is firewall", "text has still"],
].flatMap((filter) => {
  const asked = `${WINDOW}&filter=${encodeURIComponent(filter)}`;
  return [`/records?${asked}&limit=500`, `/records/histogram?${asked}`, `/records/values?${asked}&field=user`];
});
// what differs from one store to another, or from one moment to another
const UNLIKE = new Set([
  "id",
  "tookMs",
  "arrival",
  "received",
  "cursor",
  "next",
  "shape",
  "ids",
  "until",
  "low",
  "high",
]);
async function answers(of: TestStore): Promise<unknown> {
  const all: unknown[] = [];
  for (const path of ASKED) {
    const { status, body } = await of.api.get(path);
    // a name that no record has yet is refused
    expect([200, 400]).toContain(status);
    all.push([path, status, JSON.parse(JSON.stringify(body, (k, v) => (UNLIKE.has(k) ? undefined : v)))]);
  }
  const rows = async (sql: string) => (await of.client.query(sql)).rows;
  all.push(await rows("select field, value, first_us, last_us, records from sighting where records > 0 order by 1, 2"));
  for (const table of ["rollup_minute", "rollup_five_minutes", "rollup_hour"])
    all.push(await rows(`select * from ${table} where count > 0 order by 1, 2, 3, 4`));
  return all;
}

const NEEDS = {
  directory: async () => new SenderDirectory([]),
  meanings: () => loadMeanings(store.client),
  mappings: async () => new Map(),
  beat: async () => undefined,
};
const turn = (client: Client = store.keeper) => readHistory(client, NEEDS, nowUs());
async function toItsEnd(): Promise<string[]> {
  const said: string[] = [];
  for (let i = 0; i < 50; i++) {
    const { more, told: of } = await turn();
    said.push(...of.map((o) => o.text));
    if (!more) return said;
  }
  throw new Error("it does not end");
}
const post = async (path: string, body: object = {}, status = 200) => {
  const answer = await store.api.post(path, body);
  expect([path, answer.status, answer.body.error?.message]).toEqual([path, status, answer.body.error?.message]);
  return answer.body;
};
const readings = async () => ((await store.api.get("/format-readings")).body as FormatReadingList).readings;
let id = 0;

test("what a format reads anew, searches find, sums count and first and last times know as if it had arrived so; whatever is killed in between", async () => {
  id = (await post("/formats", FORMAT)).formats[0].id;
  await post(`/formats/${id}/readings`);
  const again = await post(`/formats/${id}/readings`, {}, 409);
  expect(again.error.message).toContain("under way");
  // one that dies within a part leaves nothing of it behind
  let statements = 0;
  for (const kill of [2, 4, 7, 11]) {
    const dying = Object.assign(Object.create(store.keeper), {
      query: (...of: unknown[]) =>
        ++statements === kill
          ? Promise.reject(Object.assign(new Error("killed"), { code: "57P01" }))
          : (store.keeper.query as (...of: unknown[]) => unknown).apply(store.keeper, of),
    });
    statements = 0;
    await expect(turn(dying as Client)).rejects.toThrow("killed");
  }
  const said = await toItsEnd();
  expect(said).toEqual([expect.stringContaining("“Cranes” is done")]);
  const fits = Array.from({ length: 340 }, (_, i) => told(i)).filter((c) => atArrival(c) !== c).length;
  expect(await readings()).toMatchObject([
    { state: "done", name: "Cranes", amended: fits, readBefore: 1, refused: 0, partsDone: 3, parts: 3, why: null },
  ]);
  expect(await answers(store)).toEqual(wanted[0]);
}, 120_000);

test("what is indexed later is so too; a record says what it was", async () => {
  await indexAll(store);
  expect(await answers(store)).toEqual(wanted[1]);
  const { body } = await store.api.get(`/records?${WINDOW}&filter=${encodeURIComponent("user is anna")}&limit=1`);
  const { body: detail } = await store.api.get(`/records/${body.records[0].id}`);
  expect(detail.amended).toMatchObject({ format: "Cranes", version: 1 });
  const was = Object.fromEntries(
    detail.amended.before.map((b: { field: string; values: string[] }) => [b.field, b.values]),
  );
  expect(was).toMatchObject({ kind: ["syslog"], user: [], src: [], event: [] });
  expect(Buffer.from(detail.raw.base64, "base64").toString()).toBe(body.records[0].text);
});

test("a later version takes the place of an earlier one; what is taken back is as it arrived", async () => {
  const changed = { ...FORMAT, sets: { ...FORMAT.sets, event: "hoist" } };
  expect((await store.api.patch(`/formats/${id}`, { format: changed })).status).toBe(200);
  await post(`/formats/${id}/readings`, { from: formatUs(END - 3 * US_PER_HOUR) });
  await toItsEnd();
  // refused: an event that no record has any more
  const count = async (filter: string) =>
    (await store.api.get(`/records?${WINDOW}&filter=${encodeURIComponent(filter)}&limit=500`)).body.records?.length ??
    0;
  const [second, first] = await readings();
  expect(second!.amended).toBeGreaterThan(50);
  expect([await count("event is hoist"), await count("event is lift")]).toEqual([
    second!.amended,
    first!.amended - second!.amended,
  ]);
  // both are taken back, in whichever order
  await post(`/format-readings/${first!.id}/take-back`);
  await post(`/format-readings/${second!.id}/take-back`, {}, 409);
  await toItsEnd();
  expect([await count("event is hoist"), await count("event is lift")]).toEqual([second!.amended, 0]);
  await post(`/format-readings/${second!.id}/take-back`);
  await toItsEnd();
  expect((await readings()).map((r) => r.state)).toEqual(["taken back", "taken back"]);
  expect(await answers(store)).toEqual(plain[1]);
  expect((await store.client.query("select count(*)::int as n from amended_record")).rows).toEqual([{ n: 0 }]);
}, 120_000);

test("what the database will not take of a record leaves that record as it was, and no other", async () => {
  const refusing = Object.assign(Object.create(store.keeper), {
    query: (...of: unknown[]) => {
      const [sql, values] = of as [string, string[]];
      if (
        sql.startsWith("select segments.amend") &&
        JSON.parse(values[1]!).some((r: { users: string[] | null; data: string[][] }) =>
          r.data.some(([, v]) => v === "17"),
        )
      )
        return Promise.reject(Object.assign(new Error("no"), { code: "22P02" }));
      return (store.keeper.query as (...of: unknown[]) => unknown).apply(store.keeper, of);
    },
  });
  await post(`/formats/${id}/readings`);
  for (let i = 0; i < 20 && (await turn(refusing as Client)).more; i++);
  const [last] = await readings();
  expect(last).toMatchObject({ state: "done", refused: 1 });
  expect(last!.amended).toBeGreaterThan(200);
});

test("a format that cannot be read any more ends its reading with the reason; one that is stopped stays where it is", async () => {
  await store.client.query(
    "insert into format_reading (format, version, body, author, from_us, to_us, state, asked_us, changed_us) select format, version, jsonb_set(body, '{filter}', '\"sender in group nowhere\"'), author, 0, to_us, 'waiting', 0, 0 from format_reading where id = 1",
  );
  const said = await toItsEnd();
  expect(said).toEqual([expect.stringContaining("failed: its filter")]);
  expect((await readings())[0]).toMatchObject({
    state: "failed",
    amended: 0,
    why: expect.stringContaining("its filter"),
  });
  // one whose format no version of ours reads holds up nothing, either
  await store.client.query(
    "update format_reading set state = 'waiting', why = null, body = '{}' where state = 'failed'",
  );
  expect(await toItsEnd()).toEqual([expect.stringContaining("does not read it")]);
  expect((await readings())[0]).toMatchObject({ state: "failed", name: `format ${id}` });
  await post(`/formats/${id}/readings`);
  const [waiting] = await readings();
  await post(`/format-readings/${waiting!.id}/stop`);
  expect(await toItsEnd()).toEqual([]);
  await post(`/format-readings/${waiting!.id}/stop`, {}, 409);
  await post("/formats/9999/readings", {}, 404);
  await post(`/formats/${id}/readings`, { from: "yesterday" }, 400);
  await post(`/formats/${id}/readings`, { from: formatUs(END + 400 * US_PER_HOUR) }, 400);
});

test("lines that an earlier version read as they arrived are read as if the later one had been there, what rules of arrival did stays; and back", async () => {
  const later = OwnFormat.parse({
    ...FORMAT,
    form: { is: "line", template: "crane {crane:number} {outcome} {load:number} t by {user} from {dst:address}" },
    words: { outcome: { lifted: "success", refused: "failure" } },
  });
  const asArrived = (i: number, by: OwnFormat): RecordContent => {
    const timeUs: EpochUs = END - (200 - i) * 30 * US_PER_SECOND;
    const bytes = Buffer.from(`<14>Nov 24 10:00:00 quay-1 craned[7]: ${line(i)}`);
    const { content } = syslogRecord(bytes, {
      ...{ receivedUs: timeUs, zone: "UTC", clockOffsetUs: 0, meanings: new Meanings() },
    });
    const { content: read, fits } = applyFormats(
      [ready(1, by, new SenderDirectory([]), END)],
      { ...content, timeUs },
      asRecord,
      new Meanings(),
    );
    const made = fits === null ? { ...content, timeUs } : fitContent(read, new Uint8Array());
    // a rule of arrival stands behind formats
    return i % 4 === 0
      ? { ...made, data: [...made.data, ["tag", "quay"]], severity: 2, originalSeverity: "informational" }
      : made;
  };
  const holding = async (by: OwnFormat): Promise<TestStore> => {
    const one = await TestStore.start();
    const sender = await one.addSender("quay-1");
    await one.put(Array.from({ length: 120 }, (_, i) => ({ sender, content: asArrived(i, by) })));
    await indexAll(one);
    return one;
  };
  await store.dispose();
  const asLater = await holding(later);
  const wantedNow = await answers(asLater);
  await asLater.dispose();
  store = await holding(FORMAT);
  const before = await answers(store);
  id = (await post("/formats", FORMAT)).formats[0].id;
  expect((await store.api.patch(`/formats/${id}`, { format: later })).status).toBe(200);
  await post(`/formats/${id}/readings`);
  await toItsEnd();
  const fitting = Array.from({ length: 120 }, (_, i) => i).filter((i) => i % 5 !== 4).length;
  expect(await readings()).toMatchObject([{ state: "done", amended: fitting, readBefore: 0, refused: 0 }]);
  expect(await answers(store)).toEqual(wantedNow);
  // once more: all is as it would be
  await post(`/formats/${id}/readings`);
  await toItsEnd();
  expect((await readings())[0]).toMatchObject({ state: "done", amended: 0, readBefore: 0 });
  expect(await answers(store)).toEqual(wantedNow);
  const [, one] = await readings();
  await post(`/format-readings/${one!.id}/take-back`);
  await toItsEnd();
  expect(await answers(store)).toEqual(before);
}, 240_000);
