import { canonicalAddress } from "../base/net/index.js";
import { type EpochUs, US_PER_SECOND } from "../base/time/index.js";
import { Meanings } from "../meaning/index.js";
import {
  emptyContent,
  type HalvikRecord,
  type RecordContent,
  SEVERITIES,
  type Severity,
} from "../model/record/index.js";
import { syslogRecord, windowsRecord } from "../normalise/index.js";
import type { SampleRecord } from "./schema/samples.js";

const SHIPPED = new Meanings();

/** Samples as records, repetitions included, in the order of time, as they would be decoded. @param senderOf a sender's id by its name */
export const recordsOf = (
  samples: readonly SampleRecord[],
  beginUs: EpochUs,
  senderOf: (name: string) => number,
): HalvikRecord[] =>
  samples
    .flatMap((sample) =>
      Array.from({ length: sample.times }, (_, n) => ({
        sample,
        n,
        timeUs: Math.round(beginUs + (sample.at + n * sample.every) * US_PER_SECOND),
      })),
    )
    .sort((a, b) => a.timeUs - b.timeUs)
    .map(
      ({ sample, n, timeUs }, i): HalvikRecord => ({
        ...contentOf(sample, n, timeUs),
        // a trial's clock is its own
        timeUs,
        id: String(i + 1),
        sender: senderOf(sample.sender),
        endpoint: "trial",
        copyOf: null,
        shape: null,
      }),
    );

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
