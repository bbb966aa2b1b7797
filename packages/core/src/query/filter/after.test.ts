import fc from "fast-check";
import { SenderDirectory } from "../../model/senders/index.js";
import { testRecord } from "../../testing/record.js";
import {
  aftersOf,
  compileFilter,
  followers,
  type ParseContext,
  parseFilter,
  readFilter,
  withoutAfters,
} from "./index.js";

const CONTEXT: ParseContext = {
  zone: "UTC",
  allowsAfter: true,
  saved: [
    { name: "refused", text: "outcome is failure" },
    { name: "twice", text: "same user within 1 h after (text has a)" },
  ],
};
const parsed = (text: string, context = CONTEXT) => {
  const result = parseFilter(text, context);
  if (!result.ok) throw new Error(`${text}: ${result.error.message}`);
  return result.filter;
};

test.each([
  ["same user within 10 min after (event is 4625)", "Within 10 min after event is 4625, with the same user."],
  [
    'kind is windows and same address within 1 h after filter "refused"',
    "Kind is windows, and within 1 h after outcome is failure, with the same address.",
  ],
  [
    "not same src within 30 s after (app is a or app is b)",
    "not within 30 s after (either app is a, or app is b), with the same source address.",
  ],
])("%s", (text, reading) => {
  const filter = parsed(text);
  expect(aftersOf(filter)).toHaveLength(1);
  expect(readFilter(filter).toLowerCase()).toBe(reading.toLowerCase());
});

test("“same” is a word like any other where nothing of this follows", () => {
  expect(parsed("same")).toMatchObject({ type: "compare", test: { op: "has", value: "same" } });
  expect(parsed("same and user is a")).toMatchObject({ type: "and" });
});

test.each([
  ["same severity within 1 h after (a)", CONTEXT, "WRONG_VALUE"],
  ["same user within 2 d after (a)", CONTEXT, "WRONG_VALUE"],
  ["same user within 1 h (a)", CONTEXT, "EXPECTED"],
  ["same user within 1 h after", CONTEXT, "EXPECTED"],
  ["same user within 1 h after (same host within 1 h after (a))", CONTEXT, "EXPECTED"],
  ['same user within 1 h after filter "twice"', CONTEXT, "EXPECTED"],
  ["same user within 1 h after (a)", { zone: "UTC" }, "EXPECTED"],
] as const)("refused: %s", (text, context, code) => {
  expect(parseFilter(text, context)).toMatchObject({ ok: false, error: { code } });
});

const NO_SENDERS = new SenderDirectory([]);
const at = (timeUs: number, users: readonly string[]) => testRecord({ timeUs, users });

test("followers are just the records that come after one with the same value, in time, and never by themselves", () => {
  const users = fc.subarray(["a", "b", "C"], { minLength: 0 });
  const records = fc.array(fc.tuple(fc.integer({ min: 0, max: 40 }), users, fc.boolean()), { maxLength: 30 });
  fc.assert(
    fc.property(records, fc.integer({ min: 1, max: 15 }), (all, seconds) => {
      const filter = parsed(`same user within ${seconds} s after (text has anchor)`);
      const anchors = all.filter(([, , isAnchor]) => isAnchor);
      const [question] = aftersOf(filter);
      const meant = followers(
        question!,
        anchors.map(([s, values]) => ({ timeUs: s * 1e6, values })),
      );
      const test = compileFilter(withoutAfters(filter, new Map([[question!, meant]])), {
        directory: NO_SENDERS,
        nowUs: 100e6,
      });
      for (const [s, values] of all)
        expect(test(at(s * 1e6, values))).toBe(
          anchors.some(([t, others]) => s > t && s - t <= seconds && others.some((u) => values.includes(u))),
        );
    }),
  );
});

test("a value that needs quotes, and one in other letters", () => {
  const filter = parsed("same user within 10 s after (a)");
  const [question] = aftersOf(filter);
  const meant = followers(question!, [{ timeUs: 0, values: ['ORVANE\\Kari "K" Lind', "A.Solli"] }]);
  const test = compileFilter(meant, { directory: NO_SENDERS, nowUs: 0 });
  expect(test(at(1e6, ['ORVANE\\Kari "K" Lind']))).toBe(true);
  expect(test(at(1e6, ["a.solli"]))).toBe(true);
  expect(test(at(11e6, ["a.solli"]))).toBe(false);
});
