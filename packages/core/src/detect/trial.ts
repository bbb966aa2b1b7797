import { canonicalAddress } from "../base/net/index.js";
import { type EpochUs, US_PER_DAY, US_PER_SECOND } from "../base/time/index.js";
import { Meanings } from "../meaning/index.js";
import {
  emptyContent,
  type HalvikRecord,
  type RecordContent,
  SEVERITIES,
  type Severity,
} from "../model/record/index.js";
import { newSender, SenderDirectory } from "../model/senders/index.js";
import { syslogRecord, windowsRecord } from "../normalise/index.js";
import { LATENESS_US, RuleEngine } from "./engine.js";
import type { Episode } from "./event.js";
import type { Rule } from "./rule.js";
import type { RuleTest, SampleRecord } from "./schema/samples.js";

/** A Monday; trials stand still in time. */
const BEGIN_US = 20_600 * US_PER_DAY;
const ENDS_AFTER_US = 2 * US_PER_DAY;
const SHIPPED = new Meanings();

/** What a trial came to. */
export interface TrialResult {
  readonly raised: number;
  readonly passes: boolean;
  readonly episodes: readonly Episode[];
}

/** Runs a rule over the records of one of its tests, as they would be decoded. */
export function tryRule(rule: Rule, test: RuleTest): TrialResult {
  const names = [...new Set(test.records.map((r) => r.sender))];
  const directory = new SenderDirectory(names.map((name, i) => newSender(i + 1, name)));
  const records = test.records
    .flatMap((sample) =>
      Array.from({ length: sample.times }, (_, n) => ({
        sample,
        n,
        timeUs: Math.round(BEGIN_US + (sample.at + n * sample.every) * US_PER_SECOND),
      })),
    )
    .sort((a, b) => a.timeUs - b.timeUs)
    .map(
      ({ sample, n, timeUs }, i): HalvikRecord => ({
        ...contentOf(sample, n, timeUs),
        // a trial's clock is its own
        timeUs,
        id: String(i + 1),
        sender: names.indexOf(sample.sender) + 1,
        endpoint: "trial",
        copyOf: null,
      }),
    );
  const engine = new RuleEngine([{ ...rule, enabled: true }], directory, { zone: "UTC" });
  const episodes: Episode[] = [];
  const ended = (step: ReturnType<RuleEngine["step"]>) =>
    episodes.push(...step.episodes.filter((e) => e.final).map((e) => e.episode));
  for (const record of records) ended(engine.step("trial", [record], record.timeUs - LATENESS_US));
  const last = engine.step("trial", [], (records[records.length - 1]?.timeUs ?? BEGIN_US) + ENDS_AFTER_US);
  ended(last);
  episodes.push(...engine.standing("trial").map((e) => e.episode));
  return { raised: episodes.length, passes: episodes.length === test.raises, episodes };
}

/** What a rule's tests say against it, a sentence each; none: they pass. */
export const testFailures = (rule: Rule): string[] =>
  rule.tests.flatMap((test) => {
    const { raised, passes } = tryRule(rule, test);
    return passes ? [] : [sayTestFailure({ name: test.name, raises: test.raises, raised })];
  });

export const sayTestFailure = (t: {
  readonly name: string;
  readonly raises: number;
  readonly raised: number;
}): string => `test “${t.name}” expects ${t.raises} findings and has ${t.raised}`;

function contentOf(sample: SampleRecord, n: number, timeUs: EpochUs): RecordContent {
  const filled = <T>(value: T): T => JSON.parse(JSON.stringify(value).replaceAll("{n}", String(n))) as T;
  if (sample.syslog !== undefined)
    return syslogRecord(utf8(filled(sample.syslog)), { receivedUs: timeUs, zone: "UTC", clockOffsetUs: 0 }).content;
  if (sample.windows !== undefined)
    return windowsRecord(utf8(eventXml(filled(sample.windows))), {
      receivedUs: timeUs,
      clockOffsetUs: 0,
      meanings: SHIPPED,
    }).content;
  return fieldsContent(filled(sample.fields!), timeUs);
}

function fieldsContent(f: NonNullable<SampleRecord["fields"]>, timeUs: EpochUs): RecordContent {
  const { data, severity, src, dst, ...plain } = f;
  const address = (text: string | undefined) => (text === undefined ? null : (canonicalAddress(text) ?? text));
  const content = Object.assign(emptyContent(f.kind, timeUs, timeUs), plain);
  content.src = address(src);
  content.dst = address(dst);
  content.severity = (severity === undefined ? 6 : SEVERITIES.indexOf(severity)) as Severity;
  content.data = Object.entries(data ?? {});
  return content;
}

const escapeXml = (text: string): string =>
  text.replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll(">", "&gt;").replaceAll('"', "&quot;");

function eventXml(e: NonNullable<SampleRecord["windows"]>): string {
  const data = Object.entries(e.data).map(([n, v]) => `<Data Name="${escapeXml(n)}">${escapeXml(v)}</Data>`);
  return `<Event xmlns="http://schemas.microsoft.com/win/2004/08/events/event"><System><Provider Name="${escapeXml(e.provider ?? "Microsoft-Windows-Security-Auditing")}"/><EventID>${e.event}</EventID><Level>0</Level><TimeCreated SystemTime="1970-01-01T00:00:00.000000000Z"/><Channel>${escapeXml(e.log ?? "Security")}</Channel><Computer>${escapeXml(e.computer ?? "host.example")}</Computer></System><EventData>${data.join("")}</EventData></Event>`;
}

const utf8 = (text: string): Uint8Array => new TextEncoder().encode(text);
