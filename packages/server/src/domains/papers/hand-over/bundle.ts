import { createHash } from "node:crypto";
import type { PaperDetail } from "@halvik/contract/papers";
import { handOver, handOverMarkdown, iodefOf, type PaperInWords, stixOf } from "@halvik/core/papers";
import { ZipFile } from "yazl";

/** What goes into a bundle beside the papers themselves. */
interface BundleOf {
  readonly told: PaperInWords;
  /** The summary on paper: a thread of its own makes it. */
  readonly pdf: Uint8Array;
  readonly detail: PaperDetail;
  /** The bytes records came as, by the numbers of their pins. */
  readonly raw: ReadonlyMap<number, Uint8Array>;
  readonly fileOf: (number: number) => Promise<Uint8Array | null>;
  /** What tells this Halvik from others. */
  readonly instance: string;
}

/**
 * An archive that can be checked without Halvik: the summary, the papers as data, each record as it was kept with its bytes as they came, files,
 * STIX and IODEF; a manifest with the SHA-256 of each, and the same as `sha256sum --check` reads it.
 */
export async function bundleOf({ told, pdf, detail, raw, fileOf, instance }: BundleOf): Promise<ZipFile> {
  const zip = new ZipFile();
  const files: { name: string; bytes: number; sha256: string; is: string }[] = [];
  const mtime = new Date(told.made);
  const add = (name: string, is: string, content: Uint8Array | string) => {
    const bytes = Buffer.from(content);
    files.push({ name, bytes: bytes.length, sha256: createHash("sha256").update(bytes).digest("hex"), is });
    zip.addBuffer(bytes, name, { mtime });
  };
  const json = (value: unknown): string => `${JSON.stringify(value, null, 1)}\n`;
  add("summary.md", "what is known, by which evidence, what is open", handOverMarkdown(handOver(told)));
  add("summary.pdf", "the same on paper", pdf);
  add("papers.json", "the papers as data", json(detail));
  add(
    "records.jsonl",
    "pinned records, one a line",
    detail.pins
      .flatMap((p) => (p.record === null ? [] : [`${JSON.stringify({ pin: p.number, ...p.record })}\n`]))
      .join(""),
  );
  for (const [number, bytes] of raw)
    add(`raw/pin-${number}.bin`, `the bytes of the record of pin ${number}, as they came`, bytes);
  for (const { number, pinned } of detail.pins) {
    if (pinned.is !== "file") continue;
    const bytes = await fileOf(number);
    // the name that came is for people: it stands in the papers
    if (bytes !== null) add(`files/pin-${number}${endingOf(pinned.name)}`, `the file of pin ${number}`, bytes);
  }
  add("stix.json", "STIX 2.1", json(stixOf(told, instance)));
  add("iodef.json", "IODEF version 2 in JSON (RFC 8727)", json(iodefOf(told, instance)));
  const manifest = {
    madeBy: "Halvik",
    made: told.made,
    by: told.madeBy,
    investigation: { id: told.id, name: told.name },
    records: raw.size,
    files,
  };
  zip.addBuffer(Buffer.from(json(manifest)), "manifest.json", { mtime });
  zip.addBuffer(Buffer.from(files.map((f) => `${f.sha256}  ${f.name}\n`).join("")), "SHA256SUMS", { mtime });
  zip.end();
  return zip;
}

/** The ending of a name, where it is a plain one. */
const endingOf = (name: string): string => /\.[A-Za-z0-9]{1,8}$/.exec(name)?.[0].toLowerCase() ?? "";
