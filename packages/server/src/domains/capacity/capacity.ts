import type { Capacity, CapacityQuery, Forecast } from "@halvik/contract/capacity";
import { DEVICE_KINDS, fullInDays, growthAfter, type StoredStream, steadyBytes } from "@halvik/core/assure";
import { formatUs, US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { KINDS, type RecordKind } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type * as z from "zod";
import type { Queryable } from "../../kernel/db/pool.js";
import { arrivals, rowSizes, type ShapeSize, shapeSizes } from "./repository.js";

const MEASURED_DAYS = 7;
const HOURS = MEASURED_DAYS * 24;
const MOST_SENDERS = 50;
/** Of so few rows nothing is said: the tables they are in are mostly empty pages. */
const LEAST_ROWS = 2_000;
/** Octets a record takes in all, of stores measured before (docs/figures.md): 20 M records of all kinds, and 20 M flows with their sums. */
const USUAL_BYTES: Readonly<Record<RecordKind, number>> = {
  syslog: 480,
  snmp: 620,
  windows: 900,
  firewall: 560,
  flow: 330,
  json: 560,
  halvik: 480,
  packet: 560,
};

/** How long things are kept as it is set. */
export interface Keep {
  readonly records: number;
  readonly flows: number;
  readonly byKind: ReadonlyMap<string, number>;
}

interface Disk {
  readonly bytes: number;
  readonly free: number;
  readonly shed: number;
}

/** What arrives, what it takes, and when the disk is full: as it is set, and as somebody asks. */
export async function capacity(
  db: Queryable,
  directory: SenderDirectory,
  keep: Keep,
  disk: Disk,
  query: z.output<typeof CapacityQuery>,
  nowUs: number,
): Promise<Capacity> {
  const toUs = Math.floor(nowUs / US_PER_HOUR) * US_PER_HOUR;
  const { bySender, byHour } = await arrivals(db, toUs - HOURS * US_PER_HOUR, toUs);
  const first = Math.min(...byHour.keys());
  // before the first record nobody listened
  const measuredDays = byHour.size === 0 ? 0 : (toUs / US_PER_HOUR - first) / 24;
  const sizes = await shapeSizes(db);
  const bytesOf = bytesARecord(sizes, await rowSizes(db));
  const aDay = (count: number): number => (measuredDays === 0 ? 0 : count / measuredDays);
  // as many days as its rows make at this rate: the oldest moment would be that of a file of last year
  const storedDays = (shape: ShapeSize["shape"]): number => {
    const rows = sizes.shapes.find((s) => s.shape === shape)?.rows ?? 0;
    const rate = bySender.reduce(
      (sum, s) => ((s.kind === "flow") === (shape === "flow") ? sum + aDay(s.count) : sum),
      0,
    );
    return rate === 0 ? 0 : rows / rate;
  };
  const streamsWith = (keptOf: (sender: number, kind: RecordKind) => number): StoredStream[] =>
    bySender.map(({ sender, kind, count }) => ({
      recordsADay: aDay(count),
      bytesARecord: bytesOf(kind).bytes,
      keepDays: keptOf(sender, kind),
      storedDays: storedDays(kind === "flow" ? "flow" : "record"),
    }));
  const keptNow = (sender: number, kind: RecordKind): number =>
    directory.get(sender)?.keepDays ?? keep.byKind.get(kind) ?? (kind === "flow" ? keep.flows : keep.records);
  const keptAsked = (sender: number, kind: RecordKind): number =>
    (sender === query.sender ? query.keep : undefined) ??
    directory.get(sender)?.keepDays ??
    keep.byKind.get(kind) ??
    (kind === "flow" ? (query.flows ?? keep.flows) : (query.records ?? keep.records));
  const planned = query.devices.flatMap(({ kind: name, count }) =>
    DEVICE_KINDS.find((d) => d.name === name)!.sends.map(({ kind, anHour }) => ({
      name,
      count,
      kind,
      recordsADay: anHour * 24 * count,
    })),
  );
  const now = streamsWith(keptNow);
  const asked: StoredStream[] = [
    ...streamsWith(keptAsked),
    ...planned.map(({ kind, recordsADay }) => ({
      recordsADay,
      bytesARecord: bytesOf(kind).bytes,
      keepDays: kind === "flow" ? (query.flows ?? keep.flows) : (query.records ?? keep.records),
      storedDays: 0,
    })),
  ];
  const rowsOfAll = sizes.shapes.reduce((sum, s) => sum + s.rows, 0);
  const bytesADayOf = (of: (sender: number, kind: RecordKind) => boolean): number =>
    bySender.reduce((sum, s) => (of(s.sender, s.kind) ? sum + aDay(s.count) * bytesOf(s.kind).bytes : sum), 0);
  const siteOf = (sender: number): string => directory.get(sender)?.site ?? "";
  const ids = [...new Set(bySender.map((s) => s.sender))];
  return {
    disk,
    store: {
      bytes: sizes.bytes,
      records: rowsOfAll,
      storedDays: Math.max(storedDays("record"), storedDays("flow")),
    },
    measuredDays,
    streams: KINDS.flatMap((kind) => {
      const count = bySender.reduce((sum, s) => (s.kind === kind ? sum + s.count : sum), 0);
      if (count === 0) return [];
      const { bytes, measured } = bytesOf(kind);
      return [
        {
          kind,
          recordsADay: aDay(count),
          bytesARecord: bytes,
          measured,
          bytesADay: aDay(count) * bytes,
          keepDays: keep.byKind.get(kind) ?? (kind === "flow" ? keep.flows : keep.records),
        },
      ];
    }).sort((a, b) => b.bytesADay - a.bytesADay),
    senders: ids
      .map((id) => ({
        id,
        name: directory.name(id),
        site: siteOf(id) || null,
        recordsADay: bySender.reduce((sum, s) => (s.sender === id ? sum + aDay(s.count) : sum), 0),
        bytesADay: bytesADayOf((sender) => sender === id),
      }))
      .sort((a, b) => b.bytesADay - a.bytesADay)
      .slice(0, MOST_SENDERS),
    sites: [...new Set(ids.map(siteOf))]
      .filter((site) => site !== "")
      .map((site) => ({ site, bytesADay: bytesADayOf((sender) => siteOf(sender) === site) }))
      .sort((a, b) => b.bytesADay - a.bytesADay),
    hours: Array.from({ length: HOURS }, (_, i) => byHour.get(toUs / US_PER_HOUR - HOURS + i) ?? 0),
    hoursFrom: formatUs(toUs - HOURS * US_PER_HOUR),
    devices: query.devices.map(({ kind: name, count }) => {
      const of = planned.filter((p) => p.name === name);
      return {
        kind: name,
        count,
        recordsADay: of.reduce((sum, p) => sum + p.recordsADay, 0),
        bytesADay: of.reduce((sum, p) => sum + p.recordsADay * bytesOf(p.kind).bytes, 0),
      };
    }),
    now: forecast(now, disk, sizes.bytes, nowUs),
    asked: forecast(asked, disk, sizes.bytes, nowUs),
    keep: { records: keep.records, flows: keep.flows },
  };
}

function forecast(streams: readonly StoredStream[], disk: Disk, storeBytes: number, nowUs: number): Forecast {
  const days = fullInDays(streams, disk.free - disk.shed);
  return {
    bytesADay: streams.reduce((sum, s) => sum + s.recordsADay * s.bytesARecord, 0),
    // what stands stays, and grows by what is not yet as old as it may be
    steadyBytes: Math.max(steadyBytes(streams), storeBytes + growthAfter(streams, Number.MAX_SAFE_INTEGER)),
    full: days === null ? null : formatUs(nowUs + days * US_PER_DAY),
  };
}

/**
 * Octets a record of a kind takes in all. Measured: a shape's tables by their rows, told apart by what rows of each kind measure; all else of the
 * database (terms, raw bytes, sums) goes by the record, sums of traffic by the flow.
 */
function bytesARecord(
  { shapes, bytes, sums }: Awaited<ReturnType<typeof shapeSizes>>,
  rows: Awaited<ReturnType<typeof rowSizes>>,
): (kind: RecordKind) => { readonly bytes: number; readonly measured: boolean } {
  const of = (shape: ShapeSize["shape"]) => shapes.find((s) => s.shape === shape);
  const [records, flows] = [of("record"), of("flow")];
  const all = shapes.reduce((sum, s) => sum + s.rows, 0);
  const segments = shapes.reduce((sum, s) => sum + s.bytes, 0);
  const beside = all === 0 ? 0 : Math.max(0, bytes - segments - sums) / all;
  const sampled = [...rows.values()].reduce((sum, r) => ({ rows: sum.rows + r.rows, bytes: sum.bytes + r.bytes }), {
    rows: 0,
    bytes: 0,
  });
  return (kind) => {
    const shape = kind === "flow" ? flows : records;
    const own = kind === "flow" ? { rows: 1, bytes: 1 } : rows.get(kind);
    if (shape === undefined || shape.rows < LEAST_ROWS || own === undefined)
      return { bytes: USUAL_BYTES[kind], measured: false };
    const weight = kind === "flow" ? 1 : own.bytes / own.rows / (sampled.bytes / sampled.rows);
    const perRow = (shape.bytes / shape.rows) * weight + (kind === "flow" ? sums / shape.rows : 0);
    return { bytes: perRow + beside, measured: true };
  };
}
