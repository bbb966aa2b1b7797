import { type EpochUs, formatZoned, readRfc3339 } from "../../base/time/index.js";
import type { HistoryCode } from "../incidents/index.js";
import { type StoryDetail, storyOf } from "../story/index.js";
import { notifiedChangeOf } from "./plan.js";
import type { Message } from "./route.js";
import { type Block, htmlOf, line, plainOf } from "./texts/blocks.js";
import { ENGLISH } from "./texts/english.js";
import type { TextKind } from "./texts/kinds.js";
import type { NotifyTexts, WrittenText } from "./texts/own-texts.js";
import { readTemplate, type TemplateLine } from "./texts/template.js";
import type { VariableName } from "./texts/variables.js";

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

/** A message as it is read. */
export interface MailText {
  readonly subject: string;
  readonly text: string;
  readonly html: string;
  /** The tag of its language (RFC 5646). */
  readonly language: string;
  /** Files that go with it, where its way carries files. */
  readonly files?: readonly { readonly name: string; readonly type: string; readonly bytes: Uint8Array }[];
}

/** An incident that a message tells of. */
export interface ToldOf {
  readonly tell: Message;
  readonly detail: MailedIncident;
  /** Address of its page. */
  readonly link: string;
}

/** What a message is written by. */
export interface Writing {
  /** The notification that sends it. */
  readonly notification: string;
  /** Texts of one's own; null: those that ship. */
  readonly texts: NotifyTexts | null;
  /** Whose clock the times in it go by. */
  readonly zone: string;
}

const RECORDS = 12;
const SUBJECT_MOST = 160;
const NEWS = 5;
/** Of so many at once each has its lines; of the rest it is said how many. */
const MANY = 50;

type Values = Partial<Record<VariableName, string | readonly Block[]>>;

/**
 * A message about one incident, with the records that caused it; control characters of what devices sent are shown, not sent.
 * @param acknowledgeUrl by which who is mailed acknowledges it; null: there is no such link @param kind which of its texts
 */
export function mailOf(
  told: ToldOf,
  { notification, texts, zone }: Writing,
  acknowledgeUrl: string | null,
  kind: Exclude<TextKind, "digest"> = kindOf(told),
): MailText {
  const { incident: i, rules, findings, history } = told.detail;
  // one record may be evidence of several rules
  const evidence = [...new Map(findings.flatMap((f) => f.evidence).map((r) => [r.id, r])).values()].sort((a, b) =>
    a.time < b.time ? 1 : -1,
  );
  const at = (us: EpochUs) => formatZoned(us, zone);
  const shown = evidence.slice(0, RECORDS);
  const rows: Block = {
    is: "rows",
    rows: shown.map((r) => [clock(r.time, zone), line(r.sender.name), line(saysOf(r))]),
  };
  const more: Block = { is: "line", text: `(${shown.length} of ${i.count})` };
  const senders = [...new Set(evidence.map((r) => line(r.sender.name)))];
  return write(kind, texts, {
    title: line(i.title),
    severity: i.severity,
    number: String(i.id),
    state: stateOf(told.tell, told.detail, zone),
    first: clock(i.first, zone),
    last: clock(i.last, zone),
    raised: clock(i.raised, zone),
    ended: i.ended === null ? "not yet" : clock(i.ended, zone),
    count: `${i.count} ${i.count === 1 ? "record" : "records"}${i.returned > 0 ? `, returned ${times(i.returned)}` : ""}`,
    senders: senders.join(", "),
    rules: rules.map((r) => line(r.name)).join(", "),
    link: told.link,
    notification: line(notification),
    entities: [...new Set(i.entities.map((e) => e.field))].map((field) => ({
      is: "line",
      text: `${field}: ${i.entities.flatMap((e) => (e.field === field ? [line(e.value)] : [])).join(", ")}`,
    })),
    news: itemsOf(newsOf(told.tell, history).map((h) => line(h.detail === "" ? h.what : `${h.what}: ${h.detail}`))),
    story: rowsOf(storyOf(told.detail, at).map((p) => [at(p.us), line(p.text)])),
    why: itemsOf(rules.map((r) => `${line(r.name)}: ${line(r.sentence)}`)),
    records: shown.length === 0 ? [] : shown.length < i.count ? [rows, more] : [rows],
    advice: itemsOf(rules.flatMap((r) => (r.notes === "" ? [] : [line(r.notes)]))),
    acknowledge: acknowledgeUrl === null ? [] : [{ is: "link", url: acknowledgeUrl }],
  });
}

type MailedRecord = MailedIncident["findings"][number]["evidence"][number];
/** Kinds whose text is a list of values, made of what came. */
const OF_VALUES: readonly string[] = ["windows", "snmp", "flow"];

/** What a record says, in a line: its own words where somebody wrote them, else the sentence that is made of its values. */
const saysOf = ({ kind, text, sentence }: MailedRecord): string =>
  (OF_VALUES.includes(kind) ? sentence || text : text || sentence) || "";

/** Several messages in one, when they are many. */
export function mailOfMany(told: readonly ToldOf[], { notification, texts, zone }: Writing): MailText {
  const incidents = told.slice(0, MANY).flatMap(({ tell, detail: { incident: i }, link }): Block[] => [
    { is: "line", text: `${WORDS[tell]}: ${line(i.title)}` },
    { is: "line", text: `${i.severity}, ${i.count} records from ${clock(i.first, zone)} to ${clock(i.last, zone)}` },
    { is: "link", url: link },
    { is: "line", text: "" },
  ]);
  const more: readonly Block[] = told.length > MANY ? [{ is: "line", text: `and ${told.length - MANY} more` }] : [];
  return write("digest", texts, {
    messages: String(told.length),
    notification: line(notification),
    incidents: [...incidents, ...more],
  });
}

/** A text filled in. */
function write(kind: TextKind, texts: NotifyTexts | null, values: Values): MailText {
  const own = texts?.texts[kind] ?? null;
  const written: WrittenText = own ?? ENGLISH[kind];
  const language = own === null || texts === null ? "en" : texts.language;
  const { lines } = readTemplate(written.body, kind, true);
  const blocks = setBlocks(lines, values);
  const [subject] = readTemplate(written.subject, kind, false).lines;
  return {
    subject: filled(subject!, values).slice(0, SUBJECT_MOST).toWellFormed(),
    text: plainOf(blocks),
    html: htmlOf(blocks, language),
    language,
  };
}

/** A message that is about no incident. */
export function plainMessage(subject: string, text: string): MailText {
  const blocks: readonly Block[] = [{ is: "line", text: line(text) }];
  return {
    subject: line(subject).slice(0, SUBJECT_MOST),
    text: plainOf(blocks),
    html: htmlOf(blocks, "en"),
    language: "en",
  };
}

/** A text that is tried before it is kept; the same as `mailOf` or `mailOfMany` write. @param told one; the digest is of it alone */
export const previewOf = (
  kind: TextKind,
  written: WrittenText,
  language: string,
  told: ToldOf,
  zone: string,
): MailText => {
  const only = { [kind]: written } as NotifyTexts["texts"];
  const writing: Writing = { notification: "preview", texts: { name: "preview", language, texts: only }, zone };
  return kind === "digest"
    ? mailOfMany([told], writing)
    : mailOf({ ...told, tell: kind === "change" || kind === "worse" ? "update" : kind }, writing, null, kind);
};

/** Lines as blocks. A line of words alone that stands over a block is its heading, and goes with it where it is empty. */
function setBlocks(lines: readonly TemplateLine[], values: Values): readonly Block[] {
  const isEmpty = (l: TemplateLine | undefined) =>
    l === undefined || ("pieces" in l && l.pieces.every((p) => "text" in p && p.text.trim() === ""));
  return lines.flatMap((own, i): readonly Block[] => {
    if ("block" in own) return (values[own.block as VariableName] ?? []) as readonly Block[];
    const below = lines[i + 1];
    const isHeading =
      !isEmpty(own) &&
      isEmpty(lines[i - 1]) &&
      below !== undefined &&
      "block" in below &&
      own.pieces.every((p) => "text" in p);
    const text = filled(own, values);
    if (!isHeading) return text.trim() === values.link ? [{ is: "link", url: text.trim() }] : [{ is: "line", text }];
    return values[below.block as VariableName]?.length === 0 ? [] : [{ is: "heading", text }];
  });
}

const filled = (own: TemplateLine, values: Values): string =>
  "block" in own
    ? ""
    : own.pieces.map((p) => ("text" in p ? p.text : String(values[p.variable as VariableName] ?? ""))).join("");

const itemsOf = (items: readonly string[]): readonly Block[] => (items.length === 0 ? [] : [{ is: "items", items }]);
const rowsOf = (rows: readonly (readonly string[])[]): readonly Block[] =>
  rows.length === 0 ? [] : [{ is: "rows", rows }];

const WORDS: Readonly<Record<Message, string>> = {
  raise: "raised",
  update: "changed",
  clear: "over",
  reminder: "not acknowledged",
  escalation: "not acknowledged, for you now",
};

/** Which text tells it: of changes one that it is worse has its own. */
function kindOf({ tell, detail }: ToldOf): Exclude<TextKind, "digest"> {
  if (tell !== "update") return tell;
  return newsOf(tell, detail.history)[0]?.code === "worse" ? "worse" : "change";
}

/** What a change is about, the latest first. */
const newsOf = (tell: Message, history: MailedIncident["history"]): MailedIncident["history"] =>
  tell === "update" ? history.filter((h) => notifiedChangeOf(h.code) === "update").slice(0, NEWS) : [];

function stateOf(tell: Message, { incident: i, history }: MailedIncident, zone: string): string {
  const last = clock(i.last, zone);
  if (tell === "raise") return i.returned > 0 ? "It has returned" : `Raised at ${clock(i.raised, zone)}`;
  if (tell === "reminder" || tell === "escalation")
    return `Nobody has acknowledged it since it was raised at ${clock(i.raised, zone)}; last evidence at ${last}`;
  if (tell === "update")
    return i.state === "open"
      ? `It still lasts; last evidence at ${last}`
      : `Stopped, not judged; last evidence at ${last}`;
  const how = history.find((h) => h.code === "cleared" || h.code === "closed");
  const by = how?.code === "closed" ? `${how.what} by ${line(how.who)}` : "cleared";
  return `Over at ${i.ended === null ? last : clock(i.ended, zone)}: ${by}${how?.detail ? ` (${line(how.detail)})` : ""}`;
}

const clock = (time: string, zone: string): string => formatZoned(readRfc3339(time)!.us, zone);
const times = (n: number): string => (n === 1 ? "once" : `${n} times`);
