import { type MailedIncident, mailOf, mailOfMany } from "./index.js";

const at = (s: number) => `2026-11-25T02:14:${String(s).padStart(2, "0")}.000000Z`;
const record = (s: number, text: string) => ({
  id: String(s),
  time: at(s),
  sender: { name: "vpn-1" },
  kind: "syslog",
  category: "other",
  outcome: "unknown",
  sentence: "",
  text,
});
const detail = (over: object = {}, texts: readonly string[] = ["Failed password for k.lind"]): MailedIncident => ({
  incident: {
    id: 12,
    title: "46 refused logons from 203.0.113.9",
    severity: "error",
    first: at(1),
    last: at(40),
    raised: at(10),
    state: "open",
    stopped: false,
    closeReason: null,
    acknowledged: null,
    explains: { all: 0 },
    ended: null,
    count: 46,
    returned: 0,
    entities: [{ field: "src", value: "203.0.113.9" }],
    ...over,
  },
  rules: [{ name: "Refused logons", sentence: "Raise error when 10 records come.", notes: "Who owns the address?" }],
  findings: [
    { first: at(1), last: at(40), count: 46, says: null, clearedBy: null, evidence: texts.map((t, i) => record(i, t)) },
  ],
  history: [
    { who: "Halvik", code: "cleared", what: "cleared", detail: "quiet for 15 min" },
    { who: "Halvik", code: "raised", what: "raised", detail: "" },
  ],
});
const LINK = "http://127.0.0.1:8480/incidents/12";

test("a raise: what, how many, when, about whom, why, the records, where to look", () => {
  const { subject, text } = mailOf("raise", detail(), LINK);
  expect(subject).toBe("Halvik · raised: 46 refused logons from 203.0.113.9 (error)");
  for (const part of [
    "Severity error, incident 12",
    "46 records",
    "src: 203.0.113.9",
    "Raise error when 10 records come.",
    "The latest of 46 records",
    `${at(0)}  vpn-1  Failed password for k.lind`,
    "What to look at next: Who owns the address?",
    LINK,
  ])
    expect(text).toContain(part);
});

test("what happened is told as on its page, and what is new where something is", () => {
  const { text } = mailOf("raise", detail(), LINK);
  expect(text).toContain("What happened");
  expect(text).toContain("vpn-1 said 46 times, first “Failed password for k.lind”");
  expect(text).not.toContain("What is new");
  const worse = { who: "Halvik", code: "worse" as const, what: "worse", detail: "warning → critical: t" };
  const changed = mailOf("update", { ...detail(), history: [worse, ...detail().history] }, LINK);
  expect(changed.subject).toBe("Halvik · worse: 46 refused logons from 203.0.113.9 (error)");
  expect(changed.text).toContain("What is new\n- worse: warning → critical: t");
});

test("a clear says since when and by what it is over", () => {
  const { subject, text } = mailOf("clear", detail({ state: "cleared", ended: at(50) }), LINK);
  expect(subject).toContain("over: 46 refused logons");
  expect(text).toContain(`Over at ${at(50)}: cleared (quiet for 15 min)`);
});

test("what devices sent cannot end a line, begin a header or turn the text around", () => {
  const hostile = "x\r\nSubject: owned\r\n\r\n\u202Egnp.exe\u0007\u001b[31m";
  const { subject, text } = mailOf("raise", detail({ title: hostile }, [hostile]), LINK);
  expect(subject).not.toMatch(/[\r\n]/);
  expect(text).not.toMatch(/\r/);
  expect(text.split("\n").some((l) => l.startsWith("Subject:"))).toBe(false);
  expect(text).toContain("\\u202egnp.exe\\u0007\\u001b[31m");
});

test("a long message and a long title are cut; a hundred records are twelve", () => {
  const long = detail(
    { title: "t".repeat(900) },
    Array.from({ length: 40 }, () => "m".repeat(5_000)),
  );
  const { subject, text } = mailOf("raise", long, LINK);
  expect(subject.length).toBeLessThanOrEqual(160);
  expect(text.length).toBeLessThan(10_000);
});

test("many in one: a line for each, with its link", () => {
  const many = Array.from({ length: 7 }, () => ({ tell: "raise" as const, detail: detail(), link: LINK }));
  const { subject, text } = mailOfMany(many);
  expect(subject).toBe("Halvik · 7 incidents raised, changed or over");
  expect(text.match(/incidents\/12/g)).toHaveLength(7);
});
