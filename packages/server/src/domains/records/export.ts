import { createHash } from "node:crypto";
import { once } from "node:events";
import { PassThrough, type Writable } from "node:stream";
import { formatUs } from "@halvik/core/base/time";
import { pcapDatagram, pcapHeader } from "@halvik/core/decode/capture";
import { FACILITIES, type HalvikRecord, RECORD_KINDS, severityName } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { stringify } from "csv-stringify/sync";
import { ZipFile } from "yazl";
import type { Queryable } from "../../kernel/db/pool.js";
import { bytesOf } from "../../store/find-records.js";
import { type PageKey, searchRecords } from "../../store/search.js";
import type { SearchScope } from "../../store/search-query.js";

export const EXPORT_FORMATS = ["csv", "jsonl", "raw", "pcap"] as const;
export type ExportFormat = (typeof EXPORT_FORMATS)[number];

export interface ExportRequest extends Omit<SearchScope, "budgetMs"> {
  readonly format: ExportFormat;
  /** What the manifest says of where this comes from. */
  readonly about: { readonly filter: string; readonly reading: string; readonly by: string };
  readonly present: (r: HalvikRecord) => unknown;
}

const PAGE = 1_000;
const PAGE_BUDGET_MS = 10_000;

/** RFC 2474 section 3: the upper six bits of the octet. */
const DSCP_SHIFT = 2;
const COLUMNS: readonly (readonly [name: string, value: (r: HalvikRecord, senders: SenderDirectory) => unknown])[] = [
  ["id", (r) => r.id],
  ["time", (r) => formatUs(r.timeUs)],
  ["arrival", (r) => formatUs(r.receivedUs)],
  ["sender", (r, senders) => senders.name(r.sender)],
  ["kind", (r) => r.kind],
  ["severity", (r) => severityName(r.severity)],
  ["facility", (r) => (r.facility === null ? "" : (FACILITIES[r.facility] ?? ""))],
  ["category", (r) => r.category],
  ["outcome", (r) => r.outcome],
  ["action", (r) => r.action],
  ["host", (r) => r.host],
  ["app", (r) => r.app],
  ["process", (r) => r.process],
  ["event", (r) => r.event],
  ["users", (r) => r.users.join("; ")],
  ["src", (r) => r.src],
  ["src port", (r) => r.srcPort],
  ["dst", (r) => r.dst],
  ["dst port", (r) => r.dstPort],
  ["protocol", (r) => r.protocol],
  ["interface", (r) => r.interface],
  ["bytes", (r) => r.bytes],
  ["packets", (r) => r.packets],
  // with what else a flow is counted by: from when on it lasted, by which interfaces it went, how it was marked and sampled
  ["start", (r) => (r.flow === null || r.flow.startUs === null ? "" : formatUs(r.flow.startUs))],
  ["ingress", (r) => r.flow?.ingress],
  ["egress", (r) => r.flow?.egress],
  ["dscp", (r) => (r.flow === null || r.flow.tos === null ? "" : r.flow.tos >> DSCP_SHIFT)],
  ["tcp flags", (r) => r.flow?.tcpFlags],
  ["sampling", (r) => r.flow?.samplingRate],
  ["text", (r) => r.text],
];
/** The port a record's message is sent to; null: it came otherwise. A firewall's decision with a facility came as syslog. */
const portOf = (r: HalvikRecord): number | null =>
  RECORD_KINDS[r.kind === "firewall" && r.facility !== null ? "syslog" : r.kind].port;
/** The collector's side of a datagram; which of its addresses it came to is not kept. */
const COLLECTOR = "127.0.0.1";

/** What is known of an export: how far it came, and in the end what proves it. */
export interface ExportManifest {
  readonly madeBy: "Halvik";
  readonly made: string;
  readonly by: string;
  readonly filter: string;
  readonly reading: string;
  readonly from: string;
  readonly to: string;
  readonly order: "newest first";
  readonly format: ExportFormat;
  readonly escapes?: string;
  readonly records: number;
  readonly written: number;
  /** Records that the format cannot carry, and why. */
  readonly leftOut?: number;
  readonly whyLeftOut?: string;
  readonly files: readonly { readonly name: string; readonly bytes: number; readonly sha256: string }[];
}

/** Told how far an export has come. @returns whether it may go on */
export type OnProgress = (records: number, bytes: number) => Promise<boolean>;

/** What the file of an export is called. */
export const exportFile = (format: ExportFormat): string => `records.${format === "raw" ? "log" : format}`;

/**
 * Writes every record that matches, newest first, as it is found: nothing is gathered in memory. When `out` closes early, the search ends.
 * @param name what the manifest calls the file
 * @returns what proves it; null when it was not taken to its end
 */
export async function exportRecords(
  db: Queryable,
  request: ExportRequest,
  out: Writable,
  name = exportFile(request.format),
  onProgress: OnProgress = () => Promise.resolve(true),
): Promise<ExportManifest | null> {
  const hash = createHash("sha256");
  let bytes = 0;
  const put = async (some: Uint8Array) => {
    bytes += some.length;
    hash.update(some);
    // on a stream that has closed neither of what is waited for comes any more
    if (!out.destroyed && !out.write(some)) await drained(out);
  };
  const counts = { records: 0, written: 0, leftOut: 0 };
  try {
    await put(head(request.format));
    for await (const records of pages(db, request)) {
      if (out.destroyed || out.writableEnded) return null;
      const encoded = await encode(db, records, request);
      counts.records += records.length;
      counts.written += encoded.written;
      await put(encoded.bytes);
      if (!(await onProgress(counts.records, bytes))) {
        out.destroy();
        return null;
      }
    }
  } catch (e) {
    // what has been sent cannot be taken back: a file without its end is seen to be broken
    out.destroy(e as Error);
    return null;
  }
  if (out.destroyed) return null;
  out.end();
  counts.leftOut = counts.records - counts.written;
  return {
    madeBy: "Halvik",
    made: formatUs(request.nowUs),
    by: request.about.by,
    filter: request.about.filter,
    reading: request.about.reading,
    from: formatUs(request.fromUs),
    to: formatUs(request.toUs),
    order: "newest first",
    format: request.format,
    ...(request.format === "raw" ? { escapes: "\\\\ is a backslash, \\n and \\r are line ends of the message" } : {}),
    records: counts.records,
    written: counts.written,
    ...(counts.leftOut > 0 ? { leftOut: counts.leftOut, whyLeftOut: WHY_LEFT_OUT[request.format] } : {}),
    files: [{ name, bytes, sha256: hash.digest("hex") }],
  };
}

/** The same as a ZIP archive: the file, and beside it the manifest with filter, window, counts and SHA-256. */
export async function exportArchive(
  db: Queryable,
  request: ExportRequest,
  out: Writable,
  onProgress?: OnProgress,
): Promise<ExportManifest | null> {
  if (out.destroyed) return null;
  const zip = new ZipFile();
  zip.outputStream.pipe(out);
  const content = new PassThrough();
  zip.addReadStream(content, exportFile(request.format));
  const onClose = () => content.destroy();
  out.once("close", onClose);
  content.once("error", (e) => out.destroy(e));
  const manifest = await exportRecords(db, request, content, exportFile(request.format), onProgress);
  out.off("close", onClose);
  if (manifest === null) {
    out.destroy();
    return null;
  }
  zip.addBuffer(Buffer.from(`${JSON.stringify(manifest, null, 2)}\n`), "manifest.json");
  zip.end();
  return manifest;
}

/** Waits until there is room again, or nobody takes any more; leaves no listener behind, however often it is asked. */
async function drained(out: Writable): Promise<void> {
  const done = new AbortController();
  try {
    await Promise.race([once(out, "drain", done), once(out, "close", done)]);
  } finally {
    done.abort();
  }
}

const WHY_LEFT_OUT: Readonly<Record<ExportFormat, string>> = {
  csv: "",
  jsonl: "",
  raw: "a flow has no message of its own",
  pcap: "only what came as syslog or SNMP, of senders with an IPv4 address, has a datagram to write",
};

async function* pages(db: Queryable, request: ExportRequest): AsyncGenerator<readonly HalvikRecord[]> {
  let cursor: PageKey | null = null;
  do {
    const page = await searchRecords(db, {
      ...request,
      budgetMs: PAGE_BUDGET_MS,
      limit: PAGE,
      direction: "older",
      cursor,
    });
    if (page.records.length > 0) yield page.records;
    cursor = page.next;
  } while (cursor !== null);
}

function head(format: ExportFormat): Uint8Array {
  if (format === "pcap") return pcapHeader();
  return Buffer.from(format === "csv" ? stringify([COLUMNS.map(([name]) => name)]) : "");
}

async function encode(
  db: Queryable,
  records: readonly HalvikRecord[],
  { format, directory, present }: ExportRequest,
): Promise<{ bytes: Uint8Array; written: number }> {
  switch (format) {
    case "jsonl":
      return {
        bytes: Buffer.from(records.map((r) => `${JSON.stringify(present(r))}\n`).join("")),
        written: records.length,
      };
    case "csv":
      return {
        // a cell that a spreadsheet would run as a formula is quoted as text
        bytes: Buffer.from(
          stringify(
            records.map((r) => COLUMNS.map(([, value]) => value(r, directory) ?? "")),
            { escape_formulas: true },
          ),
        ),
        written: records.length,
      };
    case "raw": {
      const messages = records.filter((r) => r.kind !== "flow");
      const raw = await bytesOf(db, messages);
      return { bytes: Buffer.concat(raw.map(asLine)), written: messages.length };
    }
    case "pcap": {
      const sent = records.flatMap((record) => {
        const address = directory.get(record.sender)?.addresses.find((a) => !a.includes(":"));
        const port = portOf(record);
        return address === undefined || port === null ? [] : [{ record, address, port }];
      });
      const raw = await bytesOf(
        db,
        sent.map((s) => s.record),
      );
      const packets = sent.map(({ record, address, port }, i) =>
        pcapDatagram(record.receivedUs, address, port, COLLECTOR, port, raw[i]!),
      );
      return { bytes: Buffer.concat(packets), written: packets.length };
    }
  }
}

/** One line a message: its line ends are written as \n and \r, and its backslashes as two, so that each can be told from the other. */
function asLine(raw: Buffer): Buffer {
  if (!raw.includes(10) && !raw.includes(13) && !raw.includes(92)) return Buffer.concat([raw, Buffer.from("\n")]);
  const text = raw.toString("latin1").replaceAll("\\", "\\\\").replaceAll("\n", "\\n").replaceAll("\r", "\\r");
  return Buffer.from(`${text}\n`, "latin1");
}
