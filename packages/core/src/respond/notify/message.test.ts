import {
  type MailedIncident,
  type Message,
  mailOf,
  mailOfMany,
  NotifyTexts,
  previewOf,
  TEXT_KINDS,
  type Writing,
  writtenText,
} from "./index.js";

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
const SHIPPED: Writing = { notification: "duty", texts: null, zone: "Europe/Oslo" };
const mail = (tell: Message, of: MailedIncident, writing = SHIPPED, acknowledge: string | null = null) =>
  mailOf({ tell, detail: of, link: LINK }, writing, acknowledge);

test("a raise: what, how many, when, about whom, why, the records, where to look", () => {
  const { subject, text } = mail("raise", detail());
  expect(subject).toBe("Halvik · raised: 46 refused logons from 203.0.113.9 (error)");
  for (const part of [
    "Severity error, incident 12",
    "46 records",
    "src: 203.0.113.9",
    "Raise error when 10 records come.",
    "The latest records",
    "(1 of 46)",
    `2026-11-25 03:14:00 +01:00  vpn-1  Failed password for k.lind`,
    "What to look at next\n- Who owns the address?",
    LINK,
  ])
    expect(text).toContain(part);
});

test("a record that is evidence of several rules stands once; of values, the sentence made of them", () => {
  const one = { ...record(5, "TargetUserName=z.boe"), kind: "windows", sentence: "z.boe was refused a logon to dc-1" };
  const base = detail();
  const [finding] = base.findings;
  const { text } = mail("raise", {
    ...base,
    incident: { ...base.incident, count: 1 },
    findings: [1, 2, 3].map(() => ({ ...finding!, evidence: [one] })),
  });
  const latest = text.slice(text.indexOf("The latest records"));
  expect(latest.split("z.boe was refused a logon to dc-1")).toHaveLength(2);
  expect(latest).not.toContain("TargetUserName");
  expect(latest).not.toContain("of 1)");
});

test("what happened is told as on its page, and what is new where something is", () => {
  const { text } = mail("raise", detail());
  expect(text).toContain("What happened");
  expect(text).toContain("vpn-1 said 46 times, first “Failed password for k.lind”");
  expect(text).not.toContain("What is new");
  const worse = { who: "Halvik", code: "worse" as const, what: "worse", detail: "warning → critical: t" };
  const changed = mail("update", { ...detail(), history: [worse, ...detail().history] });
  expect(changed.subject).toBe("Halvik · worse: 46 refused logons from 203.0.113.9 (error)");
  expect(changed.text).toContain("What is new\n- worse: warning → critical: t");
});

test("a clear says since when and by what it is over", () => {
  const { subject, text } = mail("clear", detail({ state: "cleared", ended: at(50) }));
  expect(subject).toContain("over: 46 refused logons");
  expect(text).toContain(`Over at 2026-11-25 03:14:50 +01:00: cleared (quiet for 15 min)`);
});

test("what devices sent cannot end a line, begin a header or turn the text around", () => {
  const hostile = "x\r\nSubject: owned\r\n\r\n\u202Egnp.exe\u0007\u001b[31m";
  const { subject, text } = mail("raise", detail({ title: hostile }, [hostile]));
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
  const { subject, text } = mail("raise", long);
  expect(subject.length).toBeLessThanOrEqual(160);
  expect(text.length).toBeLessThan(10_000);
});

test("many in one: a line for each, with its link", () => {
  const many = Array.from({ length: 7 }, () => ({ tell: "raise" as const, detail: detail(), link: LINK }));
  const { subject, text } = mailOfMany(many, SHIPPED);
  expect(subject).toBe("Halvik · 7 incidents raised, changed or over");
  expect(text.match(/incidents\/12/g)).toHaveLength(7);
});

test("the HTML part says the same and holds nothing of what devices sent as markup", () => {
  const hostile = "<img src=x onerror=alert(1)> & <b>";
  const { html, text } = mail(
    "raise",
    detail({ title: hostile }, [hostile]),
    SHIPPED,
    "https://halvik.example/a?b=1&c=2",
  );
  expect(text).toContain(hostile);
  expect(html).not.toMatch(/<(img|b|script)\b/);
  expect(html).toContain("&lt;img src=x onerror=alert(1)&gt; &amp; &lt;b&gt;");
  expect(html).toContain('<a href="https://halvik.example/a?b=1&amp;c=2">');
  expect(html).toMatch(/^<!doctype html>\n<html lang="en">/);
  expect(html).not.toMatch(/<link|<style|<iframe/);
});

test("the link to acknowledge has its heading, and neither stands where there is none", () => {
  const asked = "Acknowledge it, once, within 72 h";
  expect(mail("raise", detail(), SHIPPED, "https://h.example/k").text).toContain(`${asked}\nhttps://h.example/k`);
  expect(mail("raise", detail()).text).not.toContain(asked);
});

describe("texts of one's own", () => {
  const own = (over: object) => NotifyTexts.parse({ name: "norsk", language: "nb-NO", texts: over });
  test("take the place of what ships, kind by kind, with their language", () => {
    const texts = own({
      raise: { subject: "Nytt: {title}", body: "{title}\r\n\r\nDetaljer\r\n{news}\r\n{{x}} {count}" },
    });
    const raise = mail("raise", detail(), { notification: "duty", texts, zone: "UTC" });
    expect(raise).toMatchObject({ subject: "Nytt: 46 refused logons from 203.0.113.9", language: "nb-NO" });
    // a heading over nothing goes with it
    expect(raise.text).toBe("46 refused logons from 203.0.113.9\n\n{x} 46 records\n");
    expect(raise.html).toContain('<html lang="nb-NO">');
    expect(mail("clear", detail(), { notification: "duty", texts, zone: "UTC" }).language).toBe("en");
  });

  test.each([
    ["raise", "{titel}", "x", "there is no variable {titel}; did you mean {title}?"],
    ["raise", "{incidents}", "x", /^there is no variable \{incidents\}/],
    ["digest", "{messages}", "{title}", /^there is no variable \{title\}/],
    ["raise", "{story}", "x", "{story} is several lines: it cannot stand in a subject"],
    ["raise", "x", "so: {story}", "{story} is lines of its own: it stands alone on its line"],
    ["raise", "x", "a } b", "“}” alone: a variable is {name}, a bracket itself is }}"],
    ["raise", "x", "{title", "“{” alone: a variable is {name}, a bracket itself is {{"],
    ["raise", "two\nlines", "x", "expected one line"],
    ["raise", " ", "x", "expected some text"],
  ] as const)("a mistake is said: %s, %s, %s", (kind, subject, body, said) => {
    const message = writtenText(kind).safeParse({ subject, body }).error?.issues[0]?.message;
    expect(message).toEqual(typeof said === "string" ? said : expect.stringMatching(said));
  });

  test.each(["e", "english", "nb_NO", "en us"])("“%s” is no language tag", (language) =>
    expect(NotifyTexts.safeParse({ name: "n", language, texts: {} }).success).toBe(false),
  );

  test("what an incident holds is never read as a variable", () => {
    const texts = own({ raise: { subject: "{title}", body: "{title}" } });
    const { subject } = mail("raise", detail({ title: "{link} {{x}}" }), { notification: "duty", texts, zone: "UTC" });
    expect(subject).toBe("{link} {{x}}");
  });

  test.each(TEXT_KINDS)("the preview of %s is what is sent", (kind) => {
    const told = { tell: "raise" as const, detail: detail(), link: LINK };
    const written = { subject: "{notification}", body: kind === "digest" ? "{incidents}" : "{title}\n{records}" };
    expect(previewOf(kind, written, "en", told, "UTC")).toMatchObject({
      subject: "preview",
      text: expect.stringContaining("46 refused logons"),
    });
  });
});
