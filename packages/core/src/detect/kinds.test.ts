import fc from "fast-check";
import { SenderDirectory } from "../model/senders/index.js";
import { type Arrivals, play } from "../testing/play.js";
import { testRecord } from "../testing/record.js";
import { type Episode, Rule, type RuleInput } from "./index.js";

const S = 1e6;
/** Nothing that comes here is of this application: what is raised stays so. */
const NEVER = { by: "record", filter: "app is z" } as const;
const base = { id: "r", name: "R", severity: "error", title: "t", clear: NEVER } as const;

/** `10a` is application a at 10 s; `10a.u1` names a user, `10a=5` carries 5 bytes, `10a@h` speaks of host h. */
function records(text: string) {
  return text
    .split(" ")
    .filter(Boolean)
    .map((part, i) => {
      const m = /^([\d.]+)([a-z])(?:\.(\w+))?(?:=(\d+))?(?:@(\w+))?$/.exec(part)!;
      return testRecord({
        id: String(i + 1),
        timeUs: Number(m[1]) * S,
        app: m[2]!,
        users: m[3] ? [m[3]] : [],
        bytes: m[4] ? Number(m[4]) : null,
        host: m[5] ?? "one",
      });
    });
}
const brief = (e: Episode) => [
  e.firstUs / S,
  Math.round(e.raisedUs / S),
  Math.round(e.lastUs / S),
  e.count,
  e.clearedUs === null ? null : Math.round(e.clearedUs / S),
  e.clearedBy,
];
const run = (rule: object, text: string) =>
  play([Rule.parse({ ...base, ...rule } as RuleInput)], records(text), undefined, 40 * 86_400e6).map((p) =>
    brief(p.episode),
  );

const count = { kind: "count", filter: "app is a", key: ["host"], count: 3, windowSeconds: 60 };
const quiet = { clear: { by: "quiet", seconds: 120 } };
const distinct = { kind: "distinct", filter: "app is a", key: ["host"], of: "user", count: 3, windowSeconds: 60 };
const sequence = (...steps: object[]) => ({ kind: "sequence", key: ["host"], steps, windowSeconds: 300 });
const a = { filter: "app is a" };
const b = { filter: "app is b" };
const c = { filter: "app is c" };
const together = { kind: "together", key: ["host"], parts: [a, b, c], windowSeconds: 60 };
const silence = { kind: "silence", filter: "app is a", key: ["host"], afterSeconds: 100, clear: { by: "condition" } };

// first, raised, last, records, cleared, by; seconds
test.each([
  ["count: N within W raises at the N-th", count, "0a 30a 60a", [[0, 60, 60, 3, null, null]]],
  ["count: last − first may be at most W", count, "0a 30a 61a", []],
  ["count: the window slides", count, "0a 50a 70a 100a", [[50, 100, 100, 3, null, null]]],
  ["count: keys are apart", count, "0a@x 1a@y 2a@x 3a@y 4a@x", [[0, 4, 4, 3, null, null]]],
  ["count: further matches fold in until clear", count, "0a 1a 2a 100a 200a", [[0, 2, 200, 5, null, null]]],
  [
    "by hand: one window without evidence, and it has stopped",
    { ...count, clear: { by: "hand" } },
    "0a 1a 2a 50a 200a 201a",
    [[0, 2, 50, 4, 110, "quiet"]],
  ],
  [
    "what nothing clears is one happening for a day; then counting begins anew",
    { ...count, clear: { by: "quiet", seconds: 50_000 } },
    "0a 1a 2a 43200a 86400a 86401a 86402a 86403a 86404a",
    [
      [0, 2, 86400, 5, 86400, "span"],
      [86401, 86403, 86404, 4, 136404, "quiet"],
    ],
  ],
  [
    "what is proved over lasts as long as it lasts",
    { ...count, clear: { by: "record", filter: "app is b" } },
    "0a 1a 2a 43200a 200000a 200001b",
    [[0, 2, 200000, 5, 200001, "record"]],
  ],
  [
    "count: quiet clears, counting begins anew",
    { ...count, ...quiet },
    "0a 1a 2a 200a 201a",
    [[0, 2, 2, 3, 122, "quiet"]],
  ],
  [
    "count: it returns as an episode of its own",
    { ...count, ...quiet },
    "0a 1a 2a 200a 201a 202a",
    [
      [0, 2, 2, 3, 122, "quiet"],
      [200, 202, 202, 3, 322, "quiet"],
    ],
  ],
  [
    "count: a clearing record ends it",
    { ...count, clear: { by: "record", filter: "app is b" } },
    "0a 1a 2a 5b 6a",
    [[0, 2, 2, 3, 5, "record"]],
  ],
  [
    "count: a clearing record with nothing raised changes nothing",
    { ...count, clear: { by: "record", filter: "app is b" } },
    "0a 1a 1b 2a",
    [[0, 2, 2, 3, null, null]],
  ],
  [
    "count: held only while evidence still comes after that time",
    { ...count, ...quiet, holdSeconds: 50 },
    "0a 1a 2a 40a 300a 301a 302a 360a",
    [[300, 302, 360, 4, 480, "quiet"]],
  ],

  ["distinct: the same value counts once", distinct, "0a.u 1a.u 2a.v 3a.v", []],
  ["distinct: N values within W", distinct, "0a.u 1a.u 2a.v 3a.w", [[1, 3, 3, 3, null, null]]],
  [
    "distinct: a value seen again is as young as its last time",
    distinct,
    "0a.u 50a.u 70a.v 100a.w",
    [[50, 100, 100, 3, null, null]],
  ],
  ["distinct: values too far apart", distinct, "0a.u 40a.v 80a.w", []],

  [
    "sequence along a user: the steps of one, others between them",
    { ...sequence({ ...a, count: 2 }, b), along: "user" },
    "0a.u 1a.v 2a.w 3a.u 4b.v 5b.u",
    [[0, 5, 5, 3, null, null]],
  ],
  [
    "sequence along a user: nobody does all of it",
    { ...sequence({ ...a, count: 2 }, b), along: "user" },
    "0a.u 1a.v 2a.w 4b.v",
    [],
  ],
  [
    "sequence along a user: what names none says nothing against it",
    { ...sequence(a, b, c), along: "user" },
    "0a.u 1b.u 2c",
    [[0, 2, 2, 3, null, null]],
  ],
  ["sequence: in order", sequence(a, b), "0a 10b", [[0, 10, 10, 2, null, null]]],
  ["sequence: not in the other order", sequence(a, b), "0b 10a", []],
  ["sequence: the step's own limit", sequence(a, { ...b, withinSeconds: 30 }), "0a 31b", []],
  [
    "sequence: the latest first step serves",
    sequence(a, { ...b, withinSeconds: 30 }),
    "0a 20a 31b",
    [[20, 31, 31, 2, null, null]],
  ],
  ["sequence: the whole within the window", sequence(a, b, c), "0a 200b 301c", []],
  ["sequence: several of a step", sequence({ ...a, count: 3, withinSeconds: 60 }, b), "0a 50a 70a 80b", []],
  [
    "sequence: several of a step, near enough",
    sequence({ ...a, count: 3, withinSeconds: 60 }, b),
    "0a 50a 70a 100a 110b",
    [[50, 110, 110, 4, null, null]],
  ],
  ["sequence: several of a later step, all after the one before", sequence(a, { ...b, count: 2 }), "0b 1a 2b", []],
  [
    "sequence: a later first step takes nothing from one that is under way",
    sequence(a, { ...b, count: 2 }),
    "0a 1b 2a 3b",
    [[0, 3, 3, 3, null, null]],
  ],
  ["sequence: nothing may come in between", sequence(a, { ...c, absent: true }, b), "0a 5c 10b", []],
  [
    "sequence: nothing came in between",
    sequence(a, { ...c, absent: true }, b),
    "0c 1a 10b 11c",
    [[1, 10, 10, 2, null, null]],
  ],
  [
    "sequence: then nothing for a time",
    sequence(a, { ...b, absent: true, withinSeconds: 60 }),
    "0a 61b",
    [[0, 60, 60, 1, null, null]],
  ],
  ["sequence: something came in time", sequence(a, { ...b, absent: true, withinSeconds: 60 }), "0a 60b", []],
  [
    "sequence: nothing for a time, then the next",
    sequence(a, { ...b, absent: true, withinSeconds: 60 }, c),
    "0a 70c",
    [[0, 70, 70, 2, null, null]],
  ],
  [
    "sequence: the next came before that time was over",
    sequence(a, { ...b, absent: true, withinSeconds: 60 }, c),
    "0a 50c",
    [],
  ],
  ["sequence: one record is not two steps", sequence(a, a), "0a", []],
  ["sequence: two records of one filter are two steps", sequence(a, a), "0a 0a", [[0, 0, 0, 2, null, null]]],
  ["sequence: further ways fold in", sequence(a, b), "0a 10b 20a 30b", [[0, 10, 30, 4, null, null]]],
  [
    "sequence: what was destination is source",
    { ...sequence(a, { ...b, key: ["user"] }), key: ["host"] },
    "0a@x 5b.x@other",
    [[0, 5, 5, 2, null, null]],
  ],

  [
    "sequence: what it waited for clears it when it comes late",
    { ...sequence(a, { ...b, absent: true, withinSeconds: 60 }), clear: { by: "record", filter: "app is b" } },
    "0a 200b 300a 310b",
    [[0, 60, 60, 1, 200, "record"]],
  ],
  ["together: any order", together, "0c 10a 20b", [[0, 20, 20, 3, null, null]]],
  ["together: not all", together, "0c 10a 20a", []],
  ["together: some suffice", { ...together, atLeast: 2 }, "0c 10a", [[0, 10, 10, 2, null, null]]],
  ["together: too far apart", together, "0c 40a 80b", []],

  [
    "silence: raised when the time is over, cleared when it speaks",
    silence,
    "0a 50a 300a 320a",
    [
      [50, 150, 50, 1, 300, "record"],
      [320, 420, 320, 1, null, null],
    ],
  ],
  ["silence: at the limit it is not silent", silence, "0a 100a", [[100, 200, 100, 1, null, null]]],
] as const)("%s", (_what, rule, text, want) => expect(run(rule, text)).toEqual(want));

describe("first", () => {
  const D = 86_400;
  const first = { kind: "first", filter: "app is a", key: ["host", "user"], unseenDays: 5, learningDays: 2, ...quiet };
  test("what is seen while it learns is usual; later it is new, once", () =>
    expect(run(first, `0a.u ${D}a.v ${3 * D}a.u ${3 * D + 9}a.w ${4 * D}a.w`)).toEqual([
      [3 * D + 9, 3 * D + 9, 3 * D + 9, 1, 3 * D + 129, "quiet"],
    ]));
  test("unseen for long enough, it is new again", () =>
    expect(run(first, `0a.u ${6 * D}a.u`).map((e) => e[0])).toEqual([6 * D]));
  test("a message shape that a sender never said, those that are one counted as one", () => {
    const rule = Rule.parse({ ...base, ...first, key: ["sender", "shape"] } as RuleInput);
    const says = (id: number, seconds: number, sender: number, shape: number | null) =>
      testRecord({ id: String(id), timeUs: seconds * S, app: "a", sender, shape });
    const day = (n: number) => n * D;
    const records = [
      says(1, 0, 1, 5),
      says(2, 9, 2, 5),
      says(3, day(3), 2, 7),
      says(4, day(3) + 1, 1, 8),
      says(5, day(3) + 2, 1, null),
    ];
    // what 8 was called is 5 now: only the other sender's 7 is new
    const directory = new SenderDirectory([], undefined, undefined, undefined, undefined, new Map([[5, [8]]]));
    expect(play([rule], records, undefined, 40 * D * S, directory).map((p) => brief(p.episode)[0])).toEqual([day(3)]);
  });
  test("seen in between, it is not", () => expect(run(first, `0a.u ${4 * D}a.u ${8 * D}a.u`)).toEqual([]));
});

describe("departure and ratio", () => {
  const line = (raiseAt: number, clearAt: number) => ({
    kind: "departure",
    filter: "app is a",
    key: ["host"],
    measure: { of: "value", field: "bytes" },
    judgement: { by: "line", side: "over", raiseAt, clearAt },
    clear: { by: "condition" },
  });
  const SERIES = [91, 89, 91, 76, 74, 91].map((v, i) => `${i}a=${v}`).join(" ");
  test("raise over 90, clear under 75 on 91 89 91 76 74 91: twice (common practice, no source)", () =>
    expect(run(line(90, 75), SERIES).map((e) => e[5])).toEqual(["condition", null]));
  test("one line at 90: three times", () => expect(run(line(90, 90), SERIES)).toHaveLength(3));
  test("a hold: it must last", () =>
    expect(run({ ...line(90, 75), holdSeconds: 10 }, "0a=91 1a=70 20a=91 25a=95 30a=92 31a=70")).toEqual([
      [20, 20, 30, 3, 31, "condition"],
    ]));
  const sum = { ...line(100, 50), measure: { of: "sum", field: "bytes" }, everySeconds: 10 };
  test("a sum of a stretch, judged when the stretch is over; an empty one is zero", () =>
    expect(run(sum, "1a=60 9a=60 11a=10 45a=1").slice(0, 1)).toEqual([[0, 10, 10, 2, 20, "condition"]]));
  describe("the last so much, looked at more often than that", () => {
    const often = { ...sum, everySeconds: 60, lookEverySeconds: 10 };
    const ends = { ...base, key: ["host"], clear: { by: "condition" } };
    test("what lies across two stretches is over the line; it ends when it is far enough behind", () => {
      const text = "55a=60 65a=60 200a=1";
      expect(run({ ...sum, everySeconds: 60 }, text)).toEqual([]);
      expect(run(often, text)).toEqual([[10, 70, 110, 2, 130, "condition"]]);
    });
    test("each record is evidence once", () =>
      expect(run(often, "1a=60 2a=60 12a=60 13a=60 400a=1").map((e) => e[3])).toEqual([4]));
    test("it is under a line only when all of it was measured", () => {
      const under = { ...often, judgement: { by: "line", side: "under", raiseAt: 10, clearAt: 20 } };
      // at 10 s it had been under it, of which nobody knew
      expect(run(under, "5a=1 15a=30 62a=30 80a=1").map((e) => e.slice(0, 2))).toEqual([[70, 130]]);
    });
    test("of one that was stopped and goes on, nothing is lost", () => {
      const rules = [Rule.parse({ ...ends, ...often } as RuleInput)];
      const text = records("55a=60 65a=60 100a=70 300a=5");
      const stopped = { delays: [0], sizes: [1], crashes: [true], repeats: [false] };
      const briefly = (arrivals?: Arrivals) => play(rules, text, arrivals).map((p) => brief(p.episode));
      expect(briefly(stopped)).toEqual(briefly());
      expect(briefly()).toHaveLength(1);
    });
    test.each([
      ["no whole part of it", { ...sum, everySeconds: 60, lookEverySeconds: 25 }],
      ["too small a part", { ...sum, everySeconds: 3_600, lookEverySeconds: 10 }],
      [
        "what is usual is learnt from whole stretches",
        { ...sum, everySeconds: 60, lookEverySeconds: 10, judgement: { by: "ewma" } },
      ],
      ["each value by itself", { ...line(90, 75), everySeconds: 60, lookEverySeconds: 10 }],
    ])("refused: %s", (_what, rule) => expect(Rule.safeParse({ ...base, ...rule }).success).toBe(false));

    test("as often as it is looked at, it is what a recount of the last minute says, for random records", () => {
      fc.assert(
        fc.property(fc.array(fc.tuple(fc.nat(900), fc.nat(60)), { minLength: 1, maxLength: 60 }), (drawn) => {
          const sorted = [...drawn].sort((x, y) => x[0] - y[0]);
          const expected: (number | null)[][] = [];
          let open: number[] | null = null;
          for (let end = 10; end <= 1_000; end += 10) {
            const within = sorted.filter(([at]) => at >= end - 60 && at < end).reduce((n, [, bytes]) => n + bytes, 0);
            if (open === null && within > 100) open = [end - 60, end];
            else if (open !== null && within < 50) {
              expected.push([...open, end]);
              open = null;
            }
          }
          const told = run(often, `${sorted.map(([at, bytes]) => `${at}a=${bytes}`).join(" ")} 2000a=1`);
          expect(told.map(([first, raised, , , cleared]) => [first, raised, cleared])).toEqual(expected);
        }),
      );
    });
  });
  const ratio = {
    kind: "ratio",
    filter: "app is a",
    of: "app in a, b",
    key: ["host"],
    everySeconds: 10,
    least: 4,
    raiseAt: 0.5,
    clearAt: 0.2,
    clear: { by: "condition" },
  };
  test("a share, of enough records only", () => {
    expect(run(ratio, "0a 1a 2a 3b 12b 13b 14b 15b")).toEqual([[0, 10, 10, 3, 20, "condition"]]);
    expect(run(ratio, "0a 1a 2a")).toEqual([]);
  });
  test("a baseline learns, then tells what departs at this hour of the week", () => {
    const DAY = 86_400;
    const baseline = {
      ...sum,
      everySeconds: 3_600,
      judgement: { by: "baseline", side: "over", z: 3.5, least: 10 },
    };
    // every day the same hour carries about 100; nobody sends at other hours
    const days = (n: number) => Array.from({ length: n }, (_, i) => `${i * DAY + 5}a=${95 + ((i * 7) % 11)}`).join(" ");
    expect(run(baseline, days(40))).toEqual([]);
    // by the hour of the day while the week is young, by the hour of the week from the fifth week on
    for (const n of [6, 34]) {
      expect(run(baseline, `${days(n)} ${n * DAY + 5}a=160`).map((e) => e[0])).toEqual([n * DAY]);
      // the usual amount at an hour that is always empty
      expect(run(baseline, `${days(n)} ${n * DAY + 7_205}a=100`).map((e) => e[0])).toEqual([n * DAY + 7_200]);
    }
    // two days old: it says nothing yet
    expect(run(baseline, "5a=100 86405a=100 172805a=9999")).toEqual([]);
  });
});
