import {
  HistogramAnswer,
  HistogramQuery,
  RecordDetail,
  RecordId,
  RecordPage,
  RecordQuery,
} from "@halvik/core/contract";
import { compileFilter } from "@halvik/core/filter";
import { recordToJson } from "@halvik/core/record";
import { formatUs, US_PER_DAY, US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/time";
import { z } from "zod";
import { nowUs } from "../../config/clock.js";
import { incidentsWithRecord } from "../../store/incidents.js";
import { findRecord, histogram, type PageKey, recordsInIdRange, searchRecords } from "../../store/search.js";
import type { Deps } from "../deps.js";
import { AppError } from "../errors.js";
import type { NewIds } from "../live-feed.js";
import { route } from "../route.js";
import { readFilterText, readWindow } from "../window.js";

const SEARCH_BUDGET_MS = 4_000;
const HISTOGRAM_BUDGET_MS = 4_000;
/** Lines sent at once to a live reader; how many there were is always said. */
const LIVE_MAX_LINES = 200;
const LIVE_KEEPALIVE_MS = 15_000;
/** Widths a reader can name, so that bars keep their place as time moves on. */
const WIDTHS_US = [1, 2, 5, 10, 15, 30]
  .map((s) => s * US_PER_SECOND)
  .concat(
    [1, 2, 5, 10, 15, 30].map((m) => m * US_PER_MINUTE),
    [1, 2, 3, 4, 6, 12].map((h) => h * US_PER_HOUR),
    [1, 2, 7, 14, 28].map((d) => d * US_PER_DAY),
  );

export const recordRoutes = ({ db, directory, feed, config }: Deps) => [
  route({
    method: "get",
    path: "/records",
    summary: "Records of a window, newest first, by keyset",
    access: "read",
    query: RecordQuery,
    answer: RecordPage,
    handle: async ({ query }) => {
      const started = performance.now();
      const now = nowUs();
      const senders = await directory.get();
      const filter = readFilterText(query.filter, senders, query.zone ?? config.HALVIK_ZONE);
      const page = await searchRecords(db, {
        filter,
        ...readWindow(query, now),
        limit: query.limit,
        cursor: readCursor(query.cursor),
        direction: query.direction,
        directory: senders,
        nowUs: now,
        budgetMs: SEARCH_BUDGET_MS,
      });
      return {
        records: page.records.map((r) => recordToJson(r, senders.name(r.sender))),
        ...(page.next ? { nextCursor: `${page.next.timeUs}.${page.next.id}` } : {}),
        partial: page.partial,
        segments: page.segments,
        tookMs: since(started),
      };
    },
  }),
  route({
    method: "get",
    path: "/records/histogram",
    summary: "Counts over time; from rollups where they hold the answer",
    access: "read",
    query: HistogramQuery,
    answer: HistogramAnswer,
    handle: async ({ query }) => {
      const started = performance.now();
      const now = nowUs();
      const senders = await directory.get();
      const filter = readFilterText(query.filter, senders, query.zone ?? config.HALVIK_ZONE);
      const { fromUs, toUs } = readWindow(query, now);
      const widthUs = WIDTHS_US.find((w) => w >= (toUs - fromUs) / query.buckets) ?? WIDTHS_US[WIDTHS_US.length - 1]!;
      // whole buckets, so that rollups can answer
      const window = { fromUs: Math.floor(fromUs / widthUs) * widthUs, toUs: Math.ceil(toUs / widthUs) * widthUs };
      const answer = await histogram(
        db,
        { filter, ...window, directory: senders, nowUs: now, budgetMs: HISTOGRAM_BUDGET_MS },
        widthUs,
      );
      return {
        widthSeconds: widthUs / US_PER_SECOND,
        buckets: answer.buckets.map((b) => ({ from: formatUs(b.fromUs), count: b.count, errors: b.errors })),
        total: answer.total,
        exact: answer.exact,
        coveredFrom: formatUs(answer.coveredFromUs),
        source: answer.source,
        tookMs: since(started),
      };
    },
  }),
  route({
    method: "get",
    path: "/records/live",
    summary:
      "Records as they are stored, as server-sent events: each has the newest matching lines and how many there were",
    access: "read",
    query: z.object({ filter: z.string().max(8_000).default(""), zone: z.string().max(64).optional() }),
    answer: { type: "text/event-stream" },
    handle: async ({ query, req, res }) => {
      const zone = query.zone ?? config.HALVIK_ZONE;
      readFilterText(query.filter, await directory.get(), zone);
      res.writeHead(200, {
        "content-type": "text/event-stream",
        "cache-control": "no-store",
        "x-accel-buffering": "no",
      });
      res.write(": listening\n\n");
      let busy = false;
      let waiting: NewIds | null = null;
      const tell = async (ids: NewIds) => {
        const senders = await directory.get();
        const now = nowUs();
        const filter = readFilterText(query.filter, senders, zone);
        const rows = await recordsInIdRange(db, ids.low, ids.high, filter, senders, now, LIVE_MAX_LINES * 5);
        const records = rows
          .filter(compileFilter(filter, { directory: senders, nowUs: now }))
          .sort((x, y) => y.timeUs - x.timeUs);
        if (records.length === 0) return;
        const lines = records.slice(0, LIVE_MAX_LINES).map((r) => recordToJson(r, senders.name(r.sender)));
        res.write(`data: ${JSON.stringify({ records: lines, count: records.length })}\n\n`);
      };
      const stop = feed.listen(async (ids) => {
        // while one answer is made, what comes meanwhile is gathered for the next
        waiting = waiting === null ? ids : spanOf(waiting, ids);
        if (busy) return;
        busy = true;
        try {
          for (let next: NewIds | null = waiting; next !== null; next = waiting) {
            waiting = null;
            await tell(next);
          }
        } catch {
          res.write("event: trouble\ndata: {}\n\n");
        } finally {
          busy = false;
        }
      });
      const keepAlive = setInterval(() => res.write(": still here\n\n"), LIVE_KEEPALIVE_MS);
      req.on("close", () => {
        stop();
        clearInterval(keepAlive);
      });
      return undefined;
    },
  }),
  route({
    method: "get",
    path: "/records/{id}",
    summary: "One record with its raw bytes",
    access: "read",
    params: z.object({ id: RecordId }),
    answer: RecordDetail,
    handle: async ({ params }) => {
      const found = await findRecord(db, params.id);
      if (!found) throw new AppError("NOT_FOUND", `record ${params.id} is not stored (any more)`);
      const { record } = found;
      const raw = found.raw ?? Buffer.from(record.head + record.text + record.tail, "utf8");
      const senders = await directory.get();
      return {
        record: recordToJson(record, senders.name(record.sender)),
        raw: { base64: raw.toString("base64"), bytes: raw.length },
        incidents: await incidentsWithRecord(db, record),
      };
    },
  }),
];

const spanOf = (a: NewIds, b: NewIds): NewIds => ({
  low: BigInt(a.low) < BigInt(b.low) ? a.low : b.low,
  high: BigInt(a.high) > BigInt(b.high) ? a.high : b.high,
});

const since = (started: number): number => Math.round((performance.now() - started) * 10) / 10;

function readCursor(text: string | undefined): PageKey | null {
  if (text === undefined) return null;
  const m = /^(-?\d{1,16})\.(\d{1,19})$/.exec(text);
  if (!m) throw new AppError("BAD_REQUEST", "cursor: expected the nextCursor of an answer", { field: "cursor" });
  return { timeUs: Number(m[1]), id: m[2]! };
}
