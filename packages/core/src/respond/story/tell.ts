import { canonicalAddress } from "../../base/net/index.js";
import { type EpochUs, formatDuration, US_PER_SECOND } from "../../base/time/index.js";
import { bytesText } from "../../meaning/sentence/index.js";
import { type Act, AMOUNT, actsOf, type RecordInWords, type StoryEvidence } from "./acts.js";

/** One act in words. */
export interface Paragraph {
  readonly us: EpochUs;
  readonly text: string;
}

/** How an incident stands, for the end of its story. */
export interface Standing {
  readonly state: "open" | "cleared" | "closed";
  readonly stopped: boolean;
  readonly lastUs: EpochUs;
  readonly endedUs: EpochUs | null;
  readonly closeReason: string | null;
  /** Who closed it. */
  readonly closedBy: string | null;
  readonly acknowledgedBy: string | null;
  /** What said that it was over. */
  readonly clearedBy: "record" | "condition" | null;
  readonly explains: number;
}

const NAMED = 3;
const BEGINS_SMALL = /^(?:the|a|an|someone|somebody|something|nobody) /;
const TEXT_MOST = 160;

/**
 * What happened, in the order of time: a paragraph an act, with amounts and the gaps between, and at the end how it stands. Every number and
 * name is of the evidence; no record is told twice.
 * @param clock a moment as people read it
 */
export function writeStory(
  evidence: readonly StoryEvidence[],
  standing: Standing,
  clock: (us: EpochUs) => string,
): Paragraph[] {
  const acts = actsOf(evidence);
  const told = new Set<string>();
  const out: Paragraph[] = [];
  let before: Act | null = null;
  let reachedUs = Number.NEGATIVE_INFINITY;
  for (const act of acts) {
    const said = sayAct(act, before?.actor === act.actor);
    const again = told.has(said) ? "again " : "";
    told.add(said);
    out.push({
      us: act.firstUs,
      text: `${capital(`${when(act, reachedUs)}${again}`)}${said}.`.replace(BEGINS_SMALL, (word) => capital(word)),
    });
    // a measure is of a stretch of the clock: what else happened in it did not happen after it
    if (act.kind === "measured") continue;
    before = act;
    reachedUs = Math.max(reachedUs, act.lastUs);
  }
  out.push(sayStanding(standing, clock));
  return out;
}

/** When an act was, after what came before it. */
function when({ kind, firstUs, lastUs }: Act, reachedUs: EpochUs): string {
  if (kind === "measured") return "";
  const span = inSeconds(lastUs - firstUs);
  const over = span >= US_PER_SECOND ? `over ${formatDuration(span)} ` : "";
  if (reachedUs === Number.NEGATIVE_INFINITY) return over;
  const gap = inSeconds(firstUs - reachedUs);
  if (gap >= US_PER_SECOND) return `${formatDuration(gap)} later${over === "" ? " " : `, ${over}`}`;
  return firstUs < reachedUs
    ? `meanwhile${over === "" ? " " : `, ${over}`}`
    : `at the same moment${over === "" ? " " : `, ${over}`}`;
}

const inSeconds = (us: number): number => Math.round(us / US_PER_SECOND) * US_PER_SECOND;

function sayAct(act: Act, sameActor: boolean): string {
  const { records, count } = act;
  // an address that has just been named; a person keeps the name
  const who = sameActor && canonicalAddress(act.actor) !== null ? "it" : act.actor;
  // of more than is listed the names and numbers of those listed are the least there were
  const isAll = isAllListed(act);
  const at = names(
    records.map((r) => r.sender),
    isAll,
  );
  const users = distinct(records.flatMap((r) => r.users));
  const as = users.length === 0 || users[0] === act.actor ? "" : ` as ${names(users, isAll)}`;
  switch (act.kind) {
    case "logon refused":
      return `${who} was refused ${times(count, "logon", "a logon")} on ${at}${as}${fromWhere(act)}`;
    case "logon":
      return `${who} was let in on ${at}${as}${often(count)}`;
    case "connection refused": {
      const ports = distinct(records.flatMap((r) => (r.dstPort === null ? [] : [String(r.dstPort)])));
      return `${who} was refused ${times(count, "connection", "a connection")} by ${at}${toWhere(act, ports)}`;
    }
    case "connection": {
      const ports = distinct(records.flatMap((r) => (r.dstPort === null ? [] : [String(r.dstPort)])));
      return `${who} was let through by ${at}${often(count)}${toWhere(act, ports)}`;
    }
    case "traffic":
      return `${who} sent ${isAll ? "" : "more than "}${bytesText(records.reduce((sum, r) => sum + r.bytes, 0))} to ${names(
        records.map((r) => r.dst!),
        isAll,
      )} in ${times(count, "flow", "one flow")}`;
    case "link": {
      const [downs, ups] = [eachOnce(records, "failure"), eachOnce(records, "success")];
      const parts = [...(downs > 0 ? [`went down${often(downs)}`] : []), ...(ups > 0 ? [`came up${often(ups)}`] : [])];
      return `${records[0]!.interface} of ${act.actor} ${parts.join(" and ")}`;
    }
    case "rights refused":
      return `${who} was refused special rights on ${at}${often(count)}`;
    case "rights":
      return `${who} used special rights on ${at}${often(count)}`;
    case "said":
      return sayWords(act);
    case "measured":
      return act.says;
  }
}

function sayWords({ records, count, actor }: Act): string {
  const [first] = records as [RecordInWords, ...RecordInWords[]];
  if (first.sentence !== null) {
    const { sentence } = first;
    const begun = sentence.replace(OUR_WORD, (word) => word.toLowerCase());
    const plain = begun.endsWith(".") ? begun.slice(0, -1) : begun;
    const others = distinct(records.flatMap((r) => r.users)).filter((user) => !first.users.includes(user));
    const on = plain.includes(actor) ? "" : `, on ${actor}`;
    if (others.length > 0) return `${plain}${on}, and so for ${names(others)},${often(count)} in all`;
    return `${plain}${on}${often(count)}${changed(records)}`;
  }
  const app = first.app === null ? "" : `${first.app} on `;
  const text = first.text.length > TEXT_MOST ? `${first.text.slice(0, TEXT_MOST).toWellFormed()} …` : first.text;
  return `${app}${actor} said${often(count)}${count > 1 ? ", first" : ""} “${text}”`;
}

/** A word of ours that begins a sentence; a name keeps its case. */
const OUR_WORD = /^(?:The|A|An|Someone|Somebody|Something|Nobody) /;

/** Of an account that was tried from several addresses: from which. */
function fromWhere(act: Act): string {
  const { actor, records } = act;
  const sources = distinct(records.flatMap((r) => (r.src === null || r.src === actor ? [] : [r.src])));
  return sources.length === 0 ? "" : ` from ${names(sources, isAllListed(act))}`;
}

/** Amounts that were others in the last of several sentences. */
function changed(records: readonly RecordInWords[]): string {
  const [first, last] = [records[0]!, records[records.length - 1]!].map((r) => r.sentence?.match(AMOUNT) ?? []);
  const other = last!.filter((amount, i) => amount !== first![i]);
  return other.length === 0 ? "" : `, at last ${names(other)}`;
}

function toWhere(act: Act, ports: readonly string[]): string {
  const isAll = isAllListed(act);
  const targets = distinct(act.records.flatMap((r) => (r.dst === null ? [] : [r.dst])));
  const least = isAll ? "" : "at least ";
  const where =
    targets.length === 0
      ? ""
      : targets.length > NAMED
        ? ` to ${least}${targets.length} addresses`
        : ` to ${names(targets)}`;
  if (ports.length === 0) return where;
  return `${where}, ${ports.length > NAMED ? `${least}${ports.length} ports` : `${ports.length === 1 ? "port" : "ports"} ${names(ports)}`}`;
}

const isAllListed = ({ records, count }: Act): boolean => count <= records.length;

function sayStanding(s: Standing, clock: (us: EpochUs) => string): Paragraph {
  const explains = s.explains === 0 ? "" : ` It explains ${times(s.explains, "other incident", "one other incident")}.`;
  const seen =
    s.acknowledgedBy === null ? "Nobody has acknowledged it yet." : `${s.acknowledgedBy} has acknowledged it.`;
  const at = (text: string): Paragraph => ({ us: s.endedUs ?? s.lastUs, text: `${text}${explains}` });
  if (s.state === "closed")
    return at(
      `It was closed as ${s.closeReason ?? "fixed"}${s.closedBy === null ? "" : ` by ${s.closedBy}`} at ${clock(s.endedUs ?? s.lastUs)}.`,
    );
  if (s.state === "open") return at(`It goes on: the last evidence is of ${clock(s.lastUs)}. ${seen}`);
  if (s.stopped) return at(`Nothing more came after ${clock(s.lastUs)}; nobody has judged it yet.`);
  return at(
    `${s.clearedBy === "condition" ? "The value was ordinary again" : "A record said that it is over"} at ${clock(s.endedUs ?? s.lastUs)}.`,
  );
}

/** How often a port went down or up: what is said by message and by trap is said twice (`docs/semantics.md` 10). */
function eachOnce(records: readonly RecordInWords[], outcome: string): number {
  const own = records.filter((r) => r.outcome === outcome);
  return Math.max(0, ...distinct(own.map((r) => r.kind)).map((kind) => own.filter((r) => r.kind === kind).length));
}

const distinct = (values: readonly string[]): string[] => [...new Set(values)];

function names(values: readonly string[], isAll = true): string {
  const all = distinct(values);
  if (all.length <= 1) return all[0] ?? "";
  if (all.length > NAMED)
    return `${all.slice(0, NAMED).join(", ")} and ${isAll ? "" : "at least "}${all.length - NAMED} more`;
  return `${all.slice(0, -1).join(", ")} and ${all[all.length - 1]}`;
}

const times = (n: number, noun: string, one: string): string => (n === 1 ? one : `${n.toLocaleString("en")} ${noun}s`);
const often = (n: number): string => (n === 1 ? "" : n === 2 ? " twice" : ` ${n.toLocaleString("en")} times`);
/** Our own words begin with a capital; a name stays as it is. */
const capital = (text: string): string => `${text.slice(0, 1).toUpperCase()}${text.slice(1)}`;
