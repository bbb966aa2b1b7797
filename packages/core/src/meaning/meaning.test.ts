import { CATEGORIES, OUTCOMES } from "../model/record/index.js";
import {
  fillSentence,
  type Meaning,
  Meanings,
  type OwnMeaning,
  PhraseTable,
  phraseCode,
  readPhraseCode,
  SEVERITY_ROWS,
  SNMP_MEANINGS,
  SYSLOG_PHRASES,
  sentenceNames,
  WINDOWS_MEANINGS,
} from "./index.js";

const fill = (template: string, values: Readonly<Record<string, string>>) =>
  fillSentence(template, (name) => values[name] ?? null);

describe("sentences with places for values", () => {
  test.each<[string, string, Readonly<Record<string, string>>, string]>([
    ["a value", "{who} came in", { who: "a" }, "a came in"],
    ["a missing one", "{who} came in", {}, "… came in"],
    ["a part with its value", "in[ from {src}]", { src: "10.0.0.1" }, "in from 10.0.0.1"],
    ["a part without", "in[ from {src}]", {}, "in"],
    ["a part lacking one of two", "in[ from {src} as {who}]!", { src: "a" }, "in!"],
    ["two parts, one whole", "in[ from {src}][ as {who}]", { who: "b" }, "in as b"],
    ["a value that looks like a place", "{a}", { a: "{b} [x]" }, "{b} [x]"],
    ["an empty value is a value", "[<{a}>]", { a: "" }, "<>"],
    ["a place that is not closed", "in {src", { src: "a" }, "in {src"],
    ["no places", "plain", {}, "plain"],
  ])("%s", (_what, template, values, want) => expect(fill(template, values)).toBe(want));

  test("the names a sentence uses", () => expect(sentenceNames("{a} b[ {c}] {a}")).toEqual(["a", "c", "a"]));
});

describe("what ships", () => {
  const all: [string, Meaning][] = [...WINDOWS_MEANINGS, ...SNMP_MEANINGS];
  test("every meaning is of the common scale, and its sentence has every place and part closed", () => {
    for (const [code, m] of all) {
      expect([code, CATEGORIES.includes(m.category), OUTCOMES.includes(m.outcome)]).toEqual([code, true, true]);
      expect([code, m.severity === null || (m.severity >= 0 && m.severity <= 7)]).toEqual([code, true]);
      const filled = fill(m.sentence ?? "x", {});
      expect([code, /[[\]{}]/.test(filled), filled.trim() === ""]).toEqual([code, false, false]);
    }
  });
  test("Windows ids stand with their provider, SNMP ones are object identifiers", () => {
    for (const code of WINDOWS_MEANINGS.keys()) expect(code).toMatch(/^\S.* \d{1,5}$/);
    for (const oid of SNMP_MEANINGS.keys()) expect(oid).toMatch(/^1(\.\d+)+$/);
  });
  test("the generic traps of RFC 3418 and the link traps of RFC 2863 are known", () => {
    for (const n of [1, 2, 3, 4, 5]) expect(SNMP_MEANINGS.has(`1.3.6.1.6.3.1.1.5.${n}`)).toBe(true);
    expect(SNMP_MEANINGS.get("1.3.6.1.6.3.1.1.5.3")).toMatchObject({ category: "link", outcome: "failure" });
    expect(SNMP_MEANINGS.get("1.3.6.1.6.3.1.1.5.4")).toMatchObject({ category: "link", outcome: "success" });
  });
  test("a phrase is called so that it is found again", () => {
    for (const row of SYSLOG_PHRASES) {
      const { apps, phrase } = row;
      expect(readPhraseCode(phraseCode(row))).toEqual(apps === undefined ? { phrase } : { apps, phrase });
    }
    expect(new Set(SYSLOG_PHRASES.map(phraseCode)).size).toBe(SYSLOG_PHRASES.length);
  });
  test("a colon that is the phrase's own names no app", () => {
    expect(readPhraseCode("up: ")).toEqual({ phrase: "up: " });
    expect(readPhraseCode("a b: c")).toEqual({ phrase: "a b: c" });
  });
});

describe("phrases", () => {
  const row = (phrase: string, category: "link" | "logon", apps?: string[]) =>
    ({ phrase, category, outcome: "success", ...(apps ? { apps } : {}) }) as const;
  const table = new PhraseTable([
    row("up", "link"),
    row("up", "logon", ["sshd"]),
    row("(a+)+$", "logon"),
    row("upper", "logon"),
  ]);
  test.each<[string, string | null, string, string | undefined]>([
    ["any app", "kernel", "eth0 is up", "link"],
    ["no app", null, "eth0 is up", "link"],
    ["an app's own row comes first", "sshd", "up", "logon"],
    ["among equals the earlier one", "x", "upper", "link"],
    ["signs of patterns are letters", "x", "see (a+)+$ here", "logon"],
    ["the case counts", "x", "Up", undefined],
    ["none", "x", "down", undefined],
  ])("%s", (_what, app, text, want) => expect(table.find(app, text)?.category).toBe(want));
  test("a long message of nothing costs no more than its length", () =>
    expect(table.find("x", "a".repeat(500_000))).toBeUndefined());
});

describe("what people set stands before what ships", () => {
  const own = (kind: OwnMeaning["kind"], code: string): OwnMeaning => ({
    kind,
    code,
    severity: 1,
    category: "configuration",
    outcome: "unknown",
    sentence: null,
    next: null,
  });
  const LINK_DOWN = "1.3.6.1.6.3.1.1.5.3";
  test("by its code, and only there", () => {
    const meanings = new Meanings([own("snmp", LINK_DOWN), own("windows", "Provider-X 7")]);
    expect(meanings.snmp(LINK_DOWN)?.severity).toBe(1);
    expect(meanings.snmp("1.3.6.1.6.3.1.1.5.4")?.category).toBe("link");
    expect(meanings.windows("Provider-X", 7)?.severity).toBe(1);
    expect(meanings.windows("Provider-Y", 7)).toBeUndefined();
    expect(new Meanings().snmp(LINK_DOWN)?.severity).not.toBe(1);
  });
  test("a trap of version 1 with the zero that mapping puts in means the same (RFC 3584, section 3)", () => {
    const meanings = new Meanings([own("snmp", "1.3.6.1.4.1.32473.9")]);
    expect(meanings.snmp("1.3.6.1.4.1.32473.0.9")?.severity).toBe(1);
  });
  test("severity words: every shipped row, a changed one, and one nobody knows", () => {
    const meanings = new Meanings([], [{ kind: "firewall", original: "deny", severity: 4 }]);
    expect(meanings.severity("firewall", "deny", 6)).toBe(4);
    for (const r of SEVERITY_ROWS.filter((s) => s.original !== "deny"))
      expect(meanings.severity(r.kind, r.original, 0)).toBe(r.severity);
    expect(meanings.severity("json", "whatever", 3)).toBe(3);
  });
});
