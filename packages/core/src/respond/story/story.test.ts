import fc from "fast-check";
import { formatUs } from "../../base/time/index.js";
import { type StoryDetail, storyOf } from "./index.js";

type Evidence = StoryDetail["findings"][number]["evidence"][number];
const T = 1_790_000_000e6;
let ids = 0;
const record = (seconds: number, over: Partial<Evidence> = {}): Evidence => ({
  id: String(++ids),
  time: formatUs(T + seconds * 1e6),
  sender: { name: "vpn-1" },
  kind: "syslog",
  category: "other",
  outcome: "unknown",
  text: "text",
  sentence: "",
  ...over,
});
const refused = (s: number, src: string, user: string, sender = "vpn-1") =>
  record(s, { category: "logon", outcome: "failure", src, users: [user], sender: { name: sender } });
const letIn = (s: number, src: string, user: string) =>
  record(s, { category: "logon", outcome: "success", src, users: [user] });
const finding = (evidence: Evidence[], over: object = {}) => ({
  first: evidence[0]?.time ?? formatUs(T),
  last: evidence[evidence.length - 1]?.time ?? formatUs(T),
  count: evidence.length,
  says: null,
  clearedBy: null,
  evidence,
  ...over,
});
const detail = (findings: StoryDetail["findings"], over: Partial<StoryDetail["incident"]> = {}): StoryDetail => ({
  incident: {
    state: "open",
    stopped: false,
    last: formatUs(T + 600e6),
    ended: null,
    closeReason: null,
    acknowledged: null,
    explains: { all: 0 },
    ...over,
  },
  findings,
  history: [],
});
const clock = (us: number) => `T+${Math.round((us - T) / 1e6)}`;
const story = (...args: Parameters<typeof detail>) => storyOf(detail(...args), clock).map((p) => p.text);

const range = (n: number, make: (i: number) => Evidence) => Array.from({ length: n }, (_, i) => make(i));
const guessed = range(12, (i) => refused(i * 10, "203.0.113.9", i < 11 ? `u${i}` : "k.lind"));
const entered = letIn(141, "203.0.113.9", "k.lind");
const made = record(150, {
  kind: "windows",
  category: "account",
  sender: { name: "dc-1" },
  sentence: "svc-9 was created by k.lind",
});

test("one account over all findings: who, to whom, how much, how long after; no record told twice", () => {
  expect(
    story([
      // the latest first, as the API gives them; the first two hold the same records
      finding([made]),
      finding([...guessed, entered]),
      finding(guessed),
    ]),
  ).toEqual([
    "Over 1 min 50 s 203.0.113.9 was refused 12 logons on vpn-1 as u0, u1, u2 and 9 more.",
    "31 s later it was let in on vpn-1 as k.lind.",
    "9 s later svc-9 was created by k.lind, on dc-1.",
    "It goes on: the last evidence is of T+600. Nobody has acknowledged it yet.",
  ]);
});

test.each<[string, StoryDetail["findings"], string]>([
  [
    "more than is listed",
    [finding(guessed, { count: 46 })],
    "Over 1 min 50 s 203.0.113.9 was refused 46 logons on vpn-1 as u0, u1, u2 and at least 9 more.",
  ],
  [
    "a scan of which less is listed than there was",
    [
      finding(
        range(50, (i) =>
          record(0, {
            ...{ kind: "firewall", action: "deny", category: "policy", sender: { name: "fw-1" } },
            ...{ src: "203.0.113.9", dst: i === 0 ? "10.0.0.5" : "10.0.0.4", dstPort: i + 1 },
          }),
        ),
        { count: 59 },
      ),
    ],
    "203.0.113.9 was refused 59 connections by fw-1 to 10.0.0.5 and 10.0.0.4, at least 50 ports.",
  ],
  [
    "a port, each fall told by message and by trap",
    [
      finding(
        [0, 60].flatMap((s) =>
          ["syslog", "snmp"].map((kind) =>
            record(s, { kind, category: "link", outcome: "failure", interface: "ge0/1", sender: { name: "sw-1" } }),
          ),
        ),
      ),
    ],
    "Over 1 min ge0/1 of sw-1 went down twice.",
  ],
  [
    "down and up",
    [
      finding([
        record(0, { category: "link", outcome: "failure", interface: "te1/30" }),
        record(120, { category: "link", outcome: "success", interface: "te1/30" }),
      ]),
    ],
    "Over 2 min te1/30 of vpn-1 went down and came up.",
  ],
  [
    "the same with another amount each time",
    [
      finding(
        range(3, (i) =>
          record(i * 30, { sender: { name: "ups-1" }, sentence: `ups-1 runs on battery, ${39 - 2 * i} minutes left` }),
        ),
      ),
    ],
    "Over 1 min ups-1 runs on battery, 39 minutes left 3 times, at last 35.",
  ],
  [
    "names with numbers in them are names",
    [finding([record(0, { sentence: "svc-7 was made" }), record(1, { sentence: "svc-8 was made" })])],
    "svc-7 was made, on vpn-1.",
  ],
  [
    "the same of several people",
    [
      finding(
        ["k.lind", "r.moe", "k.lind", "s.dahl"].map((user, i) =>
          record(i, {
            users: [user, "dc-1$"],
            sender: { name: "dc-1" },
            sentence: `The account ${user} was locked out`,
          }),
        ),
      ),
    ],
    "Over 3 s the account k.lind was locked out, on dc-1, and so for r.moe and s.dahl, 4 times in all.",
  ],
  [
    "one account from many addresses",
    [finding([1, 2, 3, 4].map((i) => refused(i * 40, `192.0.2.${i}`, "i.bakke")))],
    "Over 2 min i.bakke was refused 4 logons on vpn-1 from 192.0.2.1, 192.0.2.2, 192.0.2.3 and 1 more.",
  ],
  [
    "a sentence that begins with a word of ours",
    [finding(range(2, (i) => record(i, { sentence: "Someone asked vpn-1" })))],
    "Over 1 s someone asked vpn-1 twice.",
  ],
  [
    "ports of a scan",
    [
      finding(
        range(40, (i) =>
          record(i, {
            kind: "firewall",
            category: "policy",
            action: "deny",
            src: "203.0.113.9",
            dst: "192.0.2.1",
            dstPort: 20 + i,
            sender: { name: "fw-1" },
          }),
        ),
      ),
    ],
    "Over 39 s 203.0.113.9 was refused 40 connections by fw-1 to 192.0.2.1, 40 ports.",
  ],
  [
    "flows, summed",
    [
      finding(
        range(3, (i) => record(i * 60, { kind: "flow", src: "10.1.1.7", dst: "203.0.113.5", bytes: 200_000_000 })),
      ),
    ],
    "Over 2 min 10.1.1.7 sent 600 MB to 203.0.113.5 in 3 flows.",
  ],
  [
    "a measure says itself",
    [
      finding(
        range(5, (i) => record(i, { kind: "flow", src: "10.1.1.7", dst: "203.0.113.5", bytes: 1 })),
        { says: "10.1.1.7 sent 1.2 G bytes to 203.0.113.5 within 10 min", count: 5 },
      ),
    ],
    "10.1.1.7 sent 1.2 G bytes to 203.0.113.5 within 10 min.",
  ],
  [
    "what has no meaning is quoted",
    [finding(range(3, (i) => record(i, { app: "video", text: `frame ${i} lost`, sender: { name: "cctv-1" } })))],
    "Over 2 s video on cctv-1 said 3 times, first “frame 0 lost”.",
  ],
  [
    "rights",
    [
      finding([
        record(0, { category: "privilege", outcome: "failure", users: ["t.vik"], sender: { name: "gate" } }),
        record(30, { category: "privilege", outcome: "failure", users: ["t.vik"], sender: { name: "gate" } }),
      ]),
    ],
    "Over 30 s t.vik was refused special rights on gate twice.",
  ],
])("%s", (_what, findings, says) => expect(story(findings)[0]).toBe(says));

test.each<[string, Partial<StoryDetail["incident"]>, string]>([
  [
    "open and seen",
    { acknowledged: { by: "m.aune" } },
    "It goes on: the last evidence is of T+600. m.aune has acknowledged it.",
  ],
  [
    "stopped",
    { state: "cleared", stopped: true, ended: formatUs(T + 900e6) },
    "Nothing more came after T+600; nobody has judged it yet.",
  ],
  ["over", { state: "cleared", ended: formatUs(T + 700e6) }, "A record said that it is over at T+700."],
  [
    "closed",
    { state: "closed", closeReason: "expected", ended: formatUs(T + 700e6) },
    "It was closed as expected at T+700.",
  ],
  [
    "explains others",
    { explains: { all: 3 } },
    "It goes on: the last evidence is of T+600. Nobody has acknowledged it yet. It explains 3 other incidents.",
  ],
])("how it stands: %s", (_what, over, says) =>
  expect(story([finding([refused(0, "a", "b")])], over).at(-1)).toBe(says),
);

test("without any record left it still says how it stands", () =>
  expect(story([finding([], { count: 4 })])).toHaveLength(1));

/** Random histories of a few people, addresses and devices, over several findings that share records. */
const pick = fc.record({
  at: fc.integer({ min: 0, max: 7_200 }),
  what: fc.constantFrom("refused", "in", "deny", "link", "rights", "said"),
  who: fc.constantFrom("203.0.113.9", "203.0.113.10"),
  user: fc.constantFrom("k.lind", "r.moe", "root"),
  on: fc.constantFrom("vpn-1", "dc-1"),
});
test("every number in a story is of the evidence: acts add up to the records, none is told twice, no sentence repeats", () => {
  fc.assert(
    fc.property(fc.array(pick, { minLength: 1, maxLength: 40 }), fc.integer({ min: 1, max: 3 }), (picks, parts) => {
      const all = picks.map((p) => {
        const sender = { name: p.on };
        switch (p.what) {
          case "refused":
            return refused(p.at, p.who, p.user, p.on);
          case "in":
            return letIn(p.at, p.who, p.user);
          case "deny":
            return record(p.at, {
              kind: "firewall",
              action: "deny",
              src: p.who,
              dst: "192.0.2.1",
              dstPort: 22,
              sender,
            });
          case "link":
            return record(p.at, { category: "link", outcome: "failure", interface: "ge0/1", sender });
          case "rights":
            return record(p.at, { category: "privilege", outcome: "success", users: [p.user], sender });
          default:
            return record(p.at, { app: "cron", text: "ran", sender });
        }
      });
      // every finding holds some of them; the first holds all
      const findings = Array.from({ length: parts }, (_, n) =>
        finding(all.filter((_, i) => n === 0 || i % (n + 1) === 0)),
      );
      const texts = story(findings);
      expect(new Set(texts).size).toBe(texts.length);
      // how many of each there are, recounted from the words
      const said = (pattern: RegExp) =>
        texts.reduce((sum, t) => {
          const m = pattern.exec(t);
          if (m === null) return sum;
          const n = m[1] ?? "";
          return sum + (n === "" || n === "a" ? 1 : n === " twice" ? 2 : Number(n.replace(/[^0-9]/g, "")));
        }, 0);
      const of = (what: string) => picks.filter((p) => p.what === what).length;
      expect(said(/was refused (a|[\d,]+) logons? on/)).toBe(of("refused"));
      expect(said(/was refused (a|[\d,]+) connections? by/)).toBe(of("deny"));
      expect(said(/was let in on vpn-1(?: as [a-z.]+)?( twice| [\d,]+ times)?\.$/)).toBe(of("in"));
      expect(said(/went down( twice| [\d,]+ times)?\.$/)).toBe(of("link"));
      expect(said(/used special rights on [a-z0-9-]+( twice| [\d,]+ times)?\.$/)).toBe(of("rights"));
      expect(said(/cron on [a-z0-9-]+ said( twice| [\d,]+ times)?(?:, first)? “/)).toBe(of("said"));
    }),
    { seed: 7, numRuns: 300 },
  );
});
