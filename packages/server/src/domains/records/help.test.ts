import type { DataFieldsAnswer, UnknownWords } from "@halvik/contract/records";
import { US_PER_HOUR, US_PER_SECOND } from "@halvik/core/base/time";
import { emptyContent, type RecordContent } from "@halvik/core/model/record";
import { nowUs } from "../../kernel/clock.js";
import { TestStore } from "../../testing/test-store.js";

/** What is said of named values, and of words that stand nowhere. */
let store: TestStore;
const T = nowUs() - US_PER_HOUR;
const said = (text: string, at: number, data: RecordContent["data"]): RecordContent => ({
  ...emptyContent("syslog", T + at * US_PER_SECOND, T),
  app: "till",
  event: "sale",
  text,
  data,
});

beforeAll(async () => {
  store = await TestStore.start();
  const sender = await store.addSender("till-1");
  await store.put([
    { sender, content: said("sold", 0, [["amount", "12.50"]]) },
    {
      sender,
      content: said("sold again", 1, [
        ["amount", "7"],
        ["client", "192.0.2.1"],
      ]),
    },
    { sender, content: said("closed", 2, []) },
  ]);
}, 240_000);
afterAll(() => store?.dispose(), 240_000);

test("named values of the records that match, with their sorts", async () => {
  const ask = async (filter: string): Promise<DataFieldsAnswer> =>
    (await store.api.get(`/records/data-fields?filter=${encodeURIComponent(filter)}`).expect(200)).body;
  expect(await ask("app is till")).toMatchObject({
    looked: 3,
    isAll: true,
    others: 0,
    fields: [
      { name: "amount", type: "number", records: 2 },
      { name: "client", type: "address", records: 1 },
    ],
  });
  expect((await ask("text has closed")).fields).toEqual([]);
});

test.each<[string, string[]]>([
  ["sold", []],
  ["sold or qwertz", ["qwertz"]],
  ['"sold again" and not zzz and text has "sold nothing"', ["zzz", 'text has "sold nothing"']],
  ["app is nothing", []],
  // told by themselves, and not by where the rest leads
  ["app is nothing and closed", []],
])("words that stand nowhere in %j", async (filter, unknown) => {
  const { body } = await store.api.get(`/records/unknown-words?filter=${encodeURIComponent(filter)}`).expect(200);
  expect((body as UnknownWords).unknown).toEqual(unknown);
});

test.each<[string, string[], string[]]>([
  ["data amount over 5", [], []],
  ["data amuont over 5 and not data client is x", ["data amuont"], ["amount", "client"]],
  ['sold and data "crane angle" present', ['data "crane angle"'], ["amount", "client"]],
  // as modules call it, where no record has it yet
  ["data ifOperStatsu is down", ["data ifOperStatsu"], ["ifOperStatus", "amount", "client"]],
  // events by a name: as modules call them, or as records carry them
  ["event is linkDown or event in (sale, 4625)", [], []],
  ["not event in (linkDwon, salt)", ["event linkDwon", "event salt"], ["linkDown"]],
  // what an object's numbers are called (RFC 2863)
])("named values that stand nowhere in %j, and what there is", async (filter, unknown, exists) => {
  const { body } = await store.api.get(`/records/unknown-words?filter=${encodeURIComponent(filter)}`).expect(200);
  expect(body).toEqual({ unknown, exists });
});

test.each<[string, number, string]>([
  ["data amuont over 5", 1, "no record that is kept has data amuont; there are: amount, client"],
  ["app is till and event is linkDwon", 17, "no record that is kept has event linkDwon; there are: linkDown"],
  // what is negated finds nothing here either
  [
    'app is nothing and not data "no such" present',
    24,
    'no record that is kept has data "no such"; there are: amount, client',
  ],
])("a search that finds nothing for a name that nothing has is refused: %s", async (filter, column, message) => {
  const { body } = await store.api.get(`/records?filter=${encodeURIComponent(filter)}`).expect(400);
  expect(body.error).toMatchObject({ code: "BAD_FILTER", message: `column ${column}: ${message}` });
  expect(body.error.position.start).toBe(column - 1);
});

test.each([
  ["found by another part of it", "data amuont over 5 or app is till", 3],
  ["the name is there and the value is not", "data amount over 5000", 0],
  ["an object that a module knows may be waited for", "data ifHCInOctets over 5", 0],
  ["what a format adds, where none has read anything yet", "data format is Cranes", 0],
  ["words and texts may be looked for in vain", "qwertz and text has asdf", 0],
  ["an event by its number", "event is 4625", 0],
])("a search that is not refused: %s", async (_why, filter, found) => {
  const { body } = await store.api.get(`/records?filter=${encodeURIComponent(filter)}`).expect(200);
  expect(body.records).toHaveLength(found);
});

test("a value that is none of what its object's numbers are called (RFC 2863), and what they are", async () => {
  const sender = await store.addSender("sw-1");
  await store.put([{ sender, content: said("", 3, [["1.3.6.1.2.1.2.2.1.8.4", "2"]]) }]);
  const filter = "data ifOperStatus in (up, 7, Dwon)";
  const { body } = await store.api.get(`/records/unknown-words?filter=${encodeURIComponent(filter)}`).expect(200);
  expect(body).toEqual({
    unknown: ["data ifOperStatus is Dwon"],
    exists: ["up", "down", "testing", "unknown", "dormant", "notpresent"],
  });
});
