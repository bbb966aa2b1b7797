import type { Meanings } from "../meaning/index.js";
import type { ContentDraft, HalvikRecord, RecordContent } from "../model/record/index.js";
import { applyFormats, type ReadyFormat } from "./ready-format.js";

/** What a format may read or set, beside named values. */
const READS = [
  ...(["kind", "severity", "originalSeverity", "category", "outcome", "action", "protocol", "host", "app"] as const),
  ...(["process", "event", "users", "interface", "src", "dst", "srcPort", "dstPort", "bytes", "packets"] as const),
  "otherAddresses",
] as const satisfies readonly (keyof RecordContent)[];
type Read = (typeof READS)[number];
/** Of those, what rules of arrival may change after the format. */
const MARKED: readonly Read[] = ["severity", "originalSeverity", "category"];

/** Versions of one format, and what they read with. */
export interface Versions {
  /** The one that may have read the record as it arrived. */
  readonly earlier: ReadyFormat;
  /** The one that reads it now. */
  readonly later: ReadyFormat;
  readonly meanings: Meanings;
  /** Bounds a content to what is stored. */
  readonly fit: (content: RecordContent) => RecordContent;
}

/**
 * A record that an earlier version of a format read as it arrived, as if the later one had been there: what the earlier one read is taken out, what rules of
 * arrival did afterwards stays.
 * @param stored as it is
 * @param decoded what its decoder makes of its bytes, before any format
 * @returns null where the earlier version does not explain what is stored, or the later one does not fit
 */
export function readAnew(
  stored: HalvikRecord,
  decoded: RecordContent,
  { earlier, later, meanings, fit }: Versions,
): RecordContent | null {
  const asRecord = (content: RecordContent): HalvikRecord => ({ ...stored, ...content });
  const read = applyFormats([earlier], decoded, asRecord, meanings);
  if (decoded.text !== stored.text || read.fits === null) return null;
  const was = fit(read.content);
  const more = added(was.data, stored.data);
  if (more === null) return null;
  const before: ContentDraft = { ...stored, data: decoded.data };
  const marked: Partial<ContentDraft> = {};
  for (const name of READS) {
    const isMarked = !same(stored[name], was[name]);
    if (isMarked && !MARKED.includes(name)) return null;
    if (isMarked) assign(marked, name, stored);
    assign(before, name, decoded);
  }
  const now = applyFormats([later], before, asRecord, meanings);
  if (now.fits === null) return null;
  return fit({ ...now.content, ...marked, data: [...now.content.data, ...more] });
}

/** Whether two contents say the same in all that a format may read. */
export const readsAlike = (a: RecordContent, b: RecordContent): boolean =>
  same(a.data, b.data) && READS.every((name) => same(a[name], b[name]));

function assign<K extends Read>(to: Partial<ContentDraft>, name: K, from: RecordContent): void {
  (to as Pick<ContentDraft, K>)[name] = from[name];
}

const same = (a: unknown, b: unknown): boolean =>
  Array.isArray(a) && Array.isArray(b) ? a.length === b.length && a.every((one, i) => same(one, b[i])) : a === b;

/** What stands behind the pairs that were read; null: those are not what it begins with. */
function added(read: RecordContent["data"], stored: RecordContent["data"]): RecordContent["data"] | null {
  return same(read, stored.slice(0, read.length)) ? stored.slice(read.length) : null;
}
