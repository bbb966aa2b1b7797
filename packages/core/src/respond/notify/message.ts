import { formatUs } from "../../base/time/index.js";
import type { HistoryCode } from "../incidents/index.js";
import { type StoryDetail, storyOf } from "../story/index.js";
import { tellingOf } from "./plan.js";
import type { Message } from "./route.js";

/** What a message says of an incident, beside its story; times as RFC 3339 texts. */
export interface MailedIncident extends StoryDetail {
  readonly incident: StoryDetail["incident"] & {
    readonly id: number;
    readonly title: string;
    readonly severity: string;
    readonly first: string;
    readonly raised: string;
    readonly count: number;
    /** How often it came back after it was over. */
    readonly returned: number;
    readonly entities: readonly { readonly field: string; readonly value: string }[];
  };
  readonly rules: readonly { readonly name: string; readonly sentence: string; readonly notes: string }[];
  readonly history: readonly {
    readonly who: string;
    readonly code: HistoryCode;
    readonly what: string;
    readonly detail: string;
  }[];
}

export interface MailText {
  readonly subject: string;
  readonly text: string;
}

const RECORDS = 12;
const TEXT_MOST = 400;
const SUBJECT_MOST = 160;
const NEWS = 5;
const WORDS: Readonly<Record<Message, string>> = {
  raise: "raised",
  update: "changed",
  clear: "over",
  reminder: "not acknowledged",
  escalation: "not acknowledged, for you now",
};
/** Of so many at once each has its lines; of the rest it is said how many. */
const MANY = 50;
/** A change by what it is, where that says more. */
const CHANGES: Readonly<Partial<Record<HistoryCode, string>>> = { worse: "worse", "still-lasts": "still lasts" };

/**
 * A message about one incident, with the records that caused it. Plain text: what devices sent cannot become markup, and its control
 * characters are shown, not sent.
 * @param link address of the incident's page
 */
export function mailOf(tell: Message, detail: MailedIncident, link: string): MailText {
  const { incident: i, rules, findings } = detail;
  const evidence = findings.flatMap((f) => f.evidence).sort((a, b) => (a.time < b.time ? 1 : -1));
  const counted = findings.reduce((sum, f) => sum + f.count, 0);
  const out = [
    line(i.title),
    "",
    `${stateOf(tell, detail)}. Severity ${i.severity}, incident ${i.id}.`,
    `From ${i.first} to ${i.last}: ${i.count} ${i.count === 1 ? "record" : "records"}${i.returned > 0 ? `, returned ${times(i.returned)}` : ""}.`,
  ];
  for (const field of new Set(i.entities.map((e) => e.field)))
    out.push(
      `${field}: ${i.entities
        .filter((e) => e.field === field)
        .map((e) => line(e.value))
        .join(", ")}`,
    );
  const news = newsOf(tell, detail);
  if (news.length > 0)
    out.push("", "What is new", ...news.map((h) => `- ${line(h.what)}${h.detail === "" ? "" : `: ${line(h.detail)}`}`));
  out.push("", "What happened");
  for (const p of storyOf(detail, formatUs)) out.push(`${formatUs(p.us)}  ${line(p.text)}`);
  out.push("", "Why");
  for (const rule of rules) out.push(`- ${line(rule.name)}: ${line(rule.sentence)}`);
  if (evidence.length > 0) {
    out.push("", evidence.length < counted ? `The latest of ${counted} records` : "The records");
    for (const r of evidence.slice(0, RECORDS))
      out.push(`${r.time}  ${line(r.sender.name)}  ${line(r.text || r.sentence || "")}`);
  }
  if (tell !== "clear")
    for (const rule of rules) if (rule.notes !== "") out.push("", `What to look at next: ${line(rule.notes)}`);
  out.push("", link);
  return { subject: subject(`${wordOf(tell, detail)}: ${i.title} (${i.severity})`), text: `${out.join("\n")}\n` };
}

/** Several messages in one, when they are many. */
export function mailOfMany(
  told: readonly { readonly tell: Message; readonly detail: MailedIncident; readonly link: string }[],
): MailText {
  const out = [`${told.length} messages in one: many came at the same time.`, ""];
  for (const { tell, detail, link } of told.slice(0, MANY))
    out.push(
      `${WORDS[tell]}: ${line(detail.incident.title)}`,
      `  ${detail.incident.severity}, ${detail.incident.count} records from ${detail.incident.first} to ${detail.incident.last}`,
      `  ${link}`,
      "",
    );
  if (told.length > MANY) out.push(`and ${told.length - MANY} more`, "");
  return { subject: subject(`${told.length} incidents raised, changed or over`), text: `${out.join("\n")}\n` };
}

/** What a change is about, the latest first. */
const newsOf = (tell: Message, { history }: MailedIncident): MailedIncident["history"] =>
  tell === "update" ? history.filter((h) => tellingOf(h.code) === "update").slice(0, NEWS) : [];

const wordOf = (tell: Message, detail: MailedIncident): string =>
  CHANGES[newsOf(tell, detail)[0]?.code ?? "raised"] ?? WORDS[tell];

function stateOf(tell: Message, { incident: i, history }: MailedIncident): string {
  if (tell === "raise") return i.returned > 0 ? "It has returned" : `Raised at ${i.raised}`;
  if (tell === "reminder" || tell === "escalation")
    return `Nobody has acknowledged it since it was raised at ${i.raised}; last evidence at ${i.last}`;
  if (tell === "update")
    return i.state === "open"
      ? `It still lasts; last evidence at ${i.last}`
      : `Stopped, not judged; last evidence at ${i.last}`;
  const how = history.find((h) => h.code === "cleared" || h.code === "closed");
  const by = how?.code === "closed" ? `${how.what} by ${line(how.who)}` : "cleared";
  return `Over at ${i.ended ?? i.last}: ${by}${how?.detail ? ` (${line(how.detail)})` : ""}`;
}

const times = (n: number): string => (n === 1 ? "once" : `${n} times`);
const subject = (text: string): string => `Halvik · ${line(text)}`.slice(0, SUBJECT_MOST);

/** One line of what was received: control characters and line ends become visible, length is bounded. */
function line(text: string): string {
  const shown = text.replace(/[\p{Cc}\p{Cf}\u2028\u2029]/gu, (c) =>
    c === "\n" || c === "\r" || c === "\t" ? " " : `\\u${c.codePointAt(0)!.toString(16).padStart(4, "0")}`,
  );
  return shown.length > TEXT_MOST ? `${shown.slice(0, TEXT_MOST)} …` : shown;
}
