import { createHash } from "node:crypto";
import type { PaperDetail } from "@halvik/contract/papers";
import { type EpochUs, formatUs } from "@halvik/core/base/time";
import { type HalvikRecord, hashesIn } from "@halvik/core/model/record";
import type { PaperInWords, RecordInWords } from "@halvik/core/papers";
import type { PinnedRecord } from "../pins-repository.js";

/** A paper as it is told to others. @param records by the numbers of their pins, as is `raw`: the bytes they came as */
export function paperInWords(
  detail: PaperDetail,
  records: ReadonlyMap<number, PinnedRecord>,
  raw: ReadonlyMap<number, Uint8Array>,
  who: string,
  nowUs: EpochUs,
): PaperInWords {
  const { facts } = detail;
  return {
    id: detail.id,
    name: facts.name,
    question: facts.question,
    conclusion: facts.conclusion,
    state: facts.state,
    owner: detail.owner,
    people: facts.people.map((p) => p.name),
    window: facts.window,
    created: detail.created,
    closed: detail.closed,
    lanes: facts.lanes,
    pins: detail.pins.map(({ number, pinned, record, reason, techniques, by, at }) => {
      const kept = records.get(number);
      return {
        number,
        pinned,
        record: record === null || kept === undefined ? null : recordInWords(record, kept, raw.get(number)!),
        reason,
        techniques,
        by,
        at,
      };
    }),
    entries: detail.entries.map(({ entry, author, created }) => ({ entry, author, at: created })),
    leads: detail.leads,
    made: formatUs(nowUs),
    madeBy: who,
  };
}

const recordInWords = (
  json: NonNullable<PaperDetail["pins"][number]["record"]>,
  { record: r }: PinnedRecord,
  raw: Uint8Array,
): RecordInWords => ({
  id: r.id,
  time: json.time,
  arrival: json.arrival,
  sender: json.sender.name,
  kind: r.kind,
  severity: json.severity,
  category: r.category,
  outcome: r.outcome,
  sentence: json.sentence,
  text: r.text,
  src: r.src,
  dst: r.dst,
  srcPort: r.srcPort,
  dstPort: r.dstPort,
  protocol: r.protocol,
  bytes: amount(r.bytes),
  packets: amount(r.packets),
  entities: json.entities,
  hashes: hashesOf(r),
  raw: {
    bytes: raw.length,
    sha256: createHash("sha256").update(raw).digest("hex"),
    base64: Buffer.from(raw).toString("base64"),
  },
});

/** As a number others can read; null: it is not known, or larger than those. */
const amount = (count: HalvikRecord["bytes"]): number | null =>
  count === null || count > Number.MAX_SAFE_INTEGER ? null : Number(count);

const hashesOf = ({ data }: HalvikRecord): string[] => [
  ...new Set(data.flatMap(([name, value]) => hashesIn(name, value))),
];
