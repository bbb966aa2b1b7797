import { entityCode, OwnNames } from "../model/entity/index.js";
import { newSender, SenderDirectory } from "../model/senders/index.js";
import { aboutOf, entityValues, findingTitle, type Rule, suspectsOf } from "./index.js";
import { addToKey } from "./key.js";

const DIRECTORY = new SenderDirectory([newSender(1, "vpn-1"), newSender(2, "dc-1")]);
type Titled = Pick<Rule, "kind" | "title" | "key">;
const rule = (title: string, key: readonly string[] = [], kind: Rule["kind"] = "count"): Titled =>
  ({ kind, title, key }) as unknown as Titled;
const title = (of: Titled, finding: Partial<Parameters<typeof findingTitle>[1]>, directory = DIRECTORY) =>
  findingTitle(of, { key: "", count: 1, entities: [], facts: [], ...finding }, directory);

const users = (...names: string[]) => names.map((n) => entityCode("user", n));

test.each<[string, Titled, Parameters<typeof title>[1], string]>([
  ["how many, its thousands told apart", rule("{count} logons"), { count: 1_000_000 }, "1,000,000 logons"],
  [
    "senders by their names",
    rule("by {sender}", ["sender"]),
    { key: "2", entities: [entityCode("sender", "2")] },
    "by dc-1",
  ],
  ["a few names", rule("of {user}"), { entities: users("a", "b", "c") }, "of a, b, c"],
  ["how many more there are", rule("of {user}"), { entities: users("a", "b", "c", "d", "e") }, "of a, b, c and 2 more"],
  ["of a sequence the last alone", rule("as {user}", [], "sequence"), { entities: users("z", "a", "b") }, "as z"],
  ["that nothing is known of it", rule("of {user}"), {}, "of ?"],
  [
    "what it is keyed by, whoever else is named",
    rule("of {user}", ["user"]),
    { key: "b", entities: users("a", "b") },
    "of b",
  ],
  [
    "that as it was written",
    rule("of {user}", ["user"]),
    { key: "k.lind", entities: users("t.vik", "K.Lind") },
    "of K.Lind",
  ],
  [
    "each of several keys in its place",
    rule("{user} from {src}", ["user", "src"]),
    { key: addToKey("k.lind", "10.0.0.1"), entities: [...users("k.lind"), entityCode("src", "10.0.0.1")] },
    "k.lind from 10.0.0.1",
  ],
  ["a measure in three figures", rule("{value} in"), { facts: [["value", 1_234_567]] }, "1.23 M in"],
  ["one that is small", rule("{value}"), { facts: [["value", 0.0512]] }, "0.0512"],
  ["one below ten thousand by its digits", rule("{value}"), { facts: [["value", 9_870]] }, "9870"],
  ["no value as a name within a name", rule("of {user}"), { count: 7, entities: users("{count}") }, "of {count}"],
  [
    "that each was heard twice",
    rule("{count} times"),
    { count: 10, facts: [["heard again", 8]] },
    "10 times, each heard twice",
  ],
  ["not where few were", rule("{count} times"), { count: 10, facts: [["heard again", 7]] }, "10 times"],
])("a title says %s", (_what, of, finding, said) => expect(title(of, finding)).toBe(said));

test("of two spellings of a name that are one by our domains, the one that was written", () => {
  const directory = new SenderDirectory([], undefined, undefined, new OwnNames(["orvane.example"]));
  const of = rule("of {user}", ["user"]);
  const said = title(of, { key: "k.lind", entities: users("k.lind@orvane.example") }, directory);
  expect(said).toMatch(/^of k\.lind/);
});

test("values of a field among what a finding names", () => {
  const entities = [entityCode("sender", "1"), ...users("a:b", "c")];
  expect(entityValues("sender", entities, DIRECTORY)).toEqual(["vpn-1"]);
  expect(entityValues("user", entities, DIRECTORY)).toEqual(["a:b", "c"]);
  expect(entityValues("src", entities, DIRECTORY)).toEqual([]);
});

describe("what a finding suspects", () => {
  const of = (suspects: readonly string[], key: readonly string[]) =>
    ({ suspects, key }) as unknown as Parameters<typeof suspectsOf>[0];
  test.each<[string, ReturnType<typeof of>, string, string[], string[]]>([
    ["of another field the first", of(["user"], ["src"]), "10.0.0.1", users("a", "b"), users("a")],
    ["of its key all, where they are few", of(["user"], ["user"]), "a", users("a", "b"), users("a", "b")],
    ["of its key that alone, where they are many", of(["user"], ["user"]), "d", users("a", "b", "c", "d"), users("d")],
    ["nothing of what is not named", of(["src"], ["user"]), "a", users("a"), []],
    ["nothing, where the rule suspects nobody", of([], ["user"]), "a", users("a"), []],
  ])("%s", (_what, r, key, entities, suspected) => expect(suspectsOf(r, { key, entities })).toEqual(suspected));
});

test("what it is about are the values of its key", () => {
  const keyed = { key: ["user", "src"] } as unknown as Pick<Rule, "key">;
  expect(aboutOf(keyed, addToKey("k.lind", "10.0.0.1"))).toEqual([
    entityCode("user", "k.lind"),
    entityCode("src", "10.0.0.1"),
  ]);
});
