import { extname } from "node:path";
import { RecordId } from "@halvik/contract/common";
import {
  Coverage,
  CoverageQuery,
  ExportId,
  ExportQuery,
  ExportStateJson,
  HistogramAnswer,
  HistogramQuery,
  MatrixAnswer,
  MatrixQuery,
  RecordDetail,
  RecordPage,
  RecordQuery,
  ValuesAnswer,
  ValuesQuery,
  WhyNothing,
} from "@halvik/contract/records";
import { formatUs, US_PER_DAY, US_PER_HOUR, US_PER_MINUTE, US_PER_MS, US_PER_SECOND } from "@halvik/core/base/time";
import { countToJson, type FieldName, type HalvikRecord, MAX_COUNT } from "@halvik/core/model/record";
import { aftersOf, readFilter as filterInWords } from "@halvik/core/query/filter";
import type { Measure } from "@halvik/core/query/measure";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import type { Streams } from "../../kernel/http/streams.js";
import { readWindow } from "../../kernel/http/window.js";
import type { BatchIds } from "../../store/batches.js";
import { findRecord } from "../../store/find-records.js";
import { commitMarks, type FollowCursor } from "../../store/follow-records.js";
import type { PageKey } from "../../store/search.js";
import type { TermIndex } from "../../store/term-index.js";
import { hasValues, type ValuesOf } from "../../store/values-of.js";
import { incidentsWithRecord } from "../incidents/repository.js";
import { coverageJson, coverageOf } from "../intake/coverage.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Presenter } from "../names/presenter.js";
import { amendedJson } from "./amended-json.js";
import { type ExportManifest, exportArchive, exportFile, exportRecords } from "./export.js";
import { ExportProgress } from "./export-progress.js";
import { labelOf } from "./label-of.js";
import type { LiveFeed } from "./live-feed.js";
import { outageOf } from "./outage-of.js";
import type { Ask } from "./questions.js";
import { readFilter } from "./read-filter.js";
import { searchedWindow, windowJson } from "./searched-window.js";
import { refuseUnknownNames } from "./unknown-names.js";

/** Short: what was found so far is shown, and the search goes on from there. */
const SEARCH_BUDGET_MS = 550;
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

/** What these routes work with. */
interface Needs {
  readonly config: Config;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
  readonly feed: LiveFeed;
  readonly terms: TermIndex;
  /** Who answers questions about a filter. */
  readonly ask: Ask;
  readonly streams: Streams;
}

export const recordRoutes = (deps: Needs) => {
  const { db, directory, presenter, feed, terms, ask, streams } = deps;
  const exportsUnderWay = new ExportProgress();
  return [
    route({
      method: "get",
      alsoPost: true,
      path: "/records",
      summary: "Records of a window, newest first, by keyset",
      access: "read",
      query: RecordQuery,
      answer: RecordPage,
      handle: async ({ query, actor }) => {
        const started = performance.now();
        const now = nowUs();
        const { filter, written } = await readFilter(deps, actor, query, now);
        const searched = searchedWindow(query, filter, now);
        const scope = {
          filter,
          ...searched,
          limit: query.limit,
          nowUs: now,
          budgetMs: SEARCH_BUDGET_MS,
        };
        // a sender may be met for the first time while its records are looked for
        const presented = async (records: readonly HalvikRecord[]) =>
          records.map(await presenter.present(await directory.get()));
        const follow = readFollowCursor(query.cursor);
        if (follow !== null) {
          if (query.direction !== "newer")
            throw new AppError("BAD_REQUEST", "direction: expected newer with a newerCursor", { field: "direction" });
          const page = await ask(filter).follow({ ...scope, since: follow });
          if (page === null)
            throw new AppError("BAD_REQUEST", "cursor: it is too old to go on from; read the window again", {
              field: "cursor",
            });
          const cursor = writeFollowCursor(page.cursor);
          return {
            records: await presented(page.records),
            ...(page.more ? { nextCursor: cursor } : {}),
            newerCursor: cursor,
            partial: page.more && page.records.length < query.limit,
            window: windowJson(searched),
            searched: page.searched,
            tookMs: since(started),
          };
        }
        // before the page is read: nothing falls between
        const marks = await commitMarks(db);
        const page = await ask(filter).page({
          ...scope,
          cursor: readCursor(query.cursor),
          direction: query.direction,
        });
        const foundNothing = page.records.length === 0 && page.next === null && !page.partial;
        if (foundNothing && query.cursor === undefined) await refuseUnknownNames(deps, written, now);
        return {
          newerCursor: writeFollowCursor({ marks }),
          records: await presented(page.records),
          ...(page.next ? { nextCursor: `${page.next.timeUs}.${page.next.id}` } : {}),
          partial: page.partial,
          window: windowJson(searched),
          searched: page.searched,
          tookMs: since(started),
        };
      },
    }),
    route({
      method: "get",
      alsoPost: true,
      path: "/records/histogram",
      summary: "Counts over time; from rollups where they hold the answer",
      access: "read",
      query: HistogramQuery,
      answer: HistogramAnswer,
      handle: async ({ query, actor }) => {
        const started = performance.now();
        const now = nowUs();
        const { filter } = await readFilter(deps, actor, query, now);
        const { fromUs, toUs } = readWindow(query, now);
        const widthUs = WIDTHS_US.find((w) => w >= (toUs - fromUs) / query.buckets) ?? WIDTHS_US[WIDTHS_US.length - 1]!;
        const window =
          query.whole === "window"
            ? { fromUs, toUs }
            : { fromUs: Math.floor(fromUs / widthUs) * widthUs, toUs: Math.ceil(toUs / widthUs) * widthUs };
        const answer = await ask(filter).histogram({
          filter,
          ...window,
          nowUs: now,
          budgetMs: HISTOGRAM_BUDGET_MS,
          widthUs,
        });
        return {
          widthSeconds: widthUs / US_PER_SECOND,
          buckets: answer.buckets.map((b) => ({ from: formatUs(b.fromUs), count: b.count, errors: b.errors })),
          total: answer.total,
          exact: answer.exact,
          coveredFrom: formatUs(answer.coveredFromUs),
          source: answer.source,
          window: windowJson(searchedWindow(query, filter, now)),
          ...(answer.searched ? { searched: answer.searched } : {}),
          tookMs: since(started),
        };
      },
    }),
    route({
      method: "get",
      alsoPost: true,
      path: "/records/values",
      summary: "The values of a field in the records that match, most frequent first",
      access: "read",
      query: ValuesQuery,
      answer: ValuesAnswer,
      handle: async ({ query, actor }) => {
        const started = performance.now();
        const now = nowUs();
        const { filter, senders } = await readFilter(deps, actor, query, now);
        const searched = searchedWindow(query, filter, now);
        const { coveredFromUs, restAmount, ...answer } = await ask(filter).values({
          filter,
          ...searched,
          nowUs: now,
          budgetMs: HISTOGRAM_BUDGET_MS,
          of: readValuesOf(query),
          top: query.top,
          measure: readMeasure(query),
        });
        return {
          ...answer,
          values: answer.values.map(({ value, written, count, amount }) => ({
            value,
            label: written ?? labelOf(query.field, value, senders),
            count,
            amount: countToJson(amount)!,
          })),
          ...(restAmount === null ? {} : { restAmount: countToJson(restAmount)! }),
          coveredFrom: formatUs(coveredFromUs),
          window: windowJson(searched),
          tookMs: since(started),
        };
      },
    }),
    route({
      method: "get",
      alsoPost: true,
      path: "/records/matrix",
      summary: "How the values of two fields go together in the records that match",
      access: "read",
      query: MatrixQuery,
      answer: MatrixAnswer,
      handle: async ({ query, actor }) => {
        const started = performance.now();
        const now = nowUs();
        const { filter, senders } = await readFilter(deps, actor, query, now);
        const searched = searchedWindow(query, filter, now);
        const { coveredFromUs, rows, columns, cells, ...answer } = await ask(filter).matrix({
          filter,
          ...searched,
          nowUs: now,
          budgetMs: HISTOGRAM_BUDGET_MS,
          of: {
            rows: fieldWithValues(query.rows, "rows"),
            columns: fieldWithValues(query.columns, "columns"),
            topRows: query.topRows,
            topColumns: query.topColumns,
            by: query.by,
          },
        });
        const labelled = (field: string, values: typeof rows) =>
          values.map((v) => ({
            value: v.value,
            label: labelOf(field, v.value, senders),
            total: countToJson(v.total)!,
          }));
        return {
          ...answer,
          rows: labelled(query.rows, rows),
          columns: labelled(query.columns, columns),
          cells: cells.map((ofRow) => ofRow.map((c) => countToJson(c)!)),
          coveredFrom: formatUs(coveredFromUs),
          window: windowJson(searched),
          tookMs: since(started),
        };
      },
    }),
    route({
      method: "get",
      alsoPost: true,
      path: "/records/why-nothing",
      summary:
        "Why a filter finds nothing: what its parts find, values that may have been meant, matches outside the window",
      access: "read",
      query: CoverageQuery.extend({ filter: RecordQuery.shape.filter, zone: RecordQuery.shape.zone }),
      answer: WhyNothing,
      handle: async ({ query, actor }) => {
        const now = nowUs();
        const { filter } = await readFilter(deps, actor, query, now);
        const why = await ask(filter).whyNothing({
          filter,
          ...readWindow(query, now),
          nowUs: now,
          budgetMs: SEARCH_BUDGET_MS,
        });
        return {
          parts: why.parts.map(({ start, end, near, ...part }) => ({
            ...part,
            text: query.filter.slice(start, end).trim(),
            ...(near ? { near } : {}),
          })),
          ...(why.lastBeforeUs === null ? {} : { lastBefore: formatUs(why.lastBeforeUs) }),
          ...(why.firstAfterUs === null ? {} : { firstAfter: formatUs(why.firstAfterUs) }),
        };
      },
    }),
    route({
      method: "get",
      path: "/records/coverage",
      summary: "What a window may lack: losses, gaps, silences, what is not kept any more",
      access: "read",
      query: CoverageQuery,
      answer: Coverage,
      handle: async ({ query }) => {
        const now = nowUs();
        const context = { directory: await directory.get(), nowUs: now, terms };
        return coverageJson(await coverageOf(db, readWindow(query, now), context));
      },
    }),
    route({
      method: "get",
      alsoPost: true,
      path: "/records/export",
      summary: "All records that match as a file, streamed; as a ZIP archive with a manifest if asked",
      access: "read",
      query: ExportQuery,
      answer: { type: "application/octet-stream" },
      streams: true,
      handle: async ({ query, actor, res, mayStill }) => {
        const now = nowUs();
        const { filter, written, senders } = await readFilter(deps, actor, query, now);
        const present = await presenter.present(senders);
        const request = {
          filter,
          ...searchedWindow(query, filter, now),
          directory: senders,
          nowUs: now,
          terms,
          format: query.format,
          about: { filter: query.filter, reading: filterInWords(written, formatUs), by: actor.name },
          present,
        };
        const isArchive = query.as === "archive";
        const stem = `halvik-records-${formatUs(now).slice(0, 19).replaceAll(":", "")}Z`;
        const name = `${stem}.${isArchive ? "zip" : extname(exportFile(query.format)).slice(1)}`;
        res.writeHead(200, {
          "content-type": isArchive ? "application/zip" : EXPORT_TYPES[query.format],
          "content-disposition": `attachment; filename="${name}"`,
          "cache-control": "no-store",
        });
        const { id } = query;
        let last = { records: 0, bytes: 0 };
        const tell = (state: "running" | "done" | "broken", manifest: ExportManifest | null = null) =>
          id !== undefined && exportsUnderWay.put(actor.name, id, { ...last, state, manifest });
        const onProgress = (records: number, bytes: number) => {
          last = { records, bytes };
          tell("running");
          return mayStill();
        };
        tell("running");
        const manifest = isArchive
          ? await exportArchive(db, request, res, onProgress)
          : await exportRecords(db, request, res, name, onProgress);
        tell(manifest === null ? "broken" : "done", manifest);
        return undefined;
      },
    }),
    route({
      method: "get",
      path: "/records/exports/{id}",
      summary: "How far an export of one's own has come; when it is done, its manifest",
      access: "read",
      params: z.object({ id: ExportId }),
      answer: ExportStateJson,
      handle: async ({ params: p, actor }) => {
        const state = exportsUnderWay.get(actor.name, p.id);
        if (state === undefined) throw new AppError("NOT_FOUND", `there is no export ${p.id} (any more)`);
        return state;
      },
    }),
    route({
      method: "get",
      alsoPost: true,
      path: "/records/live",
      summary:
        "Records as they are stored, as server-sent events: each has the newest matching lines and how many there were",
      access: "read",
      query: RecordQuery.pick({ filter: true, zone: true }),
      answer: { type: "text/event-stream" },
      streams: true,
      handle: async ({ query, actor, res, mayStill }) => {
        const { written } = await readFilter(deps, actor, query, nowUs());
        // it would be looked for anew with every batch
        if (aftersOf(written).length > 0)
          throw new AppError("BAD_REQUEST", "filter: what came after something is not followed live; read the window", {
            field: "filter",
          });
        const stream = streams.begin(actor, res, "text/event-stream", mayStill);
        stream.write(": listening\n\n");
        let busy = false;
        let waiting: readonly BatchIds[] = [];
        const tell = async (ids: readonly BatchIds[]) => {
          const now = nowUs();
          const { filter } = await readFilter(deps, actor, query, now);
          const records = await ask(filter).live({ filter, ids, nowUs: now, most: LIVE_MAX_LINES * 5 });
          if (records.length === 0) return;
          const lines = records.slice(0, LIVE_MAX_LINES).map(await presenter.present(await directory.get()));
          stream.write(`data: ${JSON.stringify({ records: lines, count: records.length })}\n\n`);
        };
        const work = async () => {
          if (busy) return;
          busy = true;
          try {
            // a reader that is behind gets what gathered meanwhile once it has taken what is on its way
            while (waiting.length > 0 && stream.isReady) {
              const next = waiting;
              waiting = [];
              await tell(next);
            }
          } catch {
            stream.write("event: trouble\ndata: {}\n\n");
          } finally {
            busy = false;
          }
        };
        res.on("drain", () => void work());
        const stop = feed.listen((ids) => {
          // while one answer is made, what comes meanwhile is gathered for the next
          waiting = together(waiting, ids);
          void work();
        });
        const keepAlive = setInterval(() => stream.write(": still here\n\n"), LIVE_KEEPALIVE_MS);
        stream.onEnd(() => {
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
        const outage = await outageOf(ask, record, senders, nowUs());
        const amended = await amendedJson(db, record, senders);
        return {
          record: (await presenter.present(senders))(record),
          raw: { base64: raw.toString("base64"), bytes: raw.length },
          incidents: await incidentsWithRecord(db, record),
          ...(amended === null ? {} : { amended }),
          ...(outage === null
            ? {}
            : { outage: { end: outage.end, record: outage.other, lastedMs: Math.round(outage.lastedUs / US_PER_MS) } }),
        };
      },
    }),
  ];
};

const EXPORT_TYPES = {
  csv: "text/csv; charset=utf-8",
  jsonl: "application/x-ndjson",
  raw: "text/plain; charset=utf-8",
  // registered by nobody (common practice, no source)
  pcap: "application/vnd.tcpdump.pcap",
} as const;

/** Bounds that each collector's ids of both lie within. */
function together(a: readonly BatchIds[], b: readonly BatchIds[]): readonly BatchIds[] {
  const out = new Map(a.map((ids) => [ids.collector, ids]));
  for (const { collector, low, high } of b) {
    const had = out.get(collector);
    out.set(collector, {
      collector,
      low: had !== undefined && BigInt(had.low) < BigInt(low) ? had.low : low,
      high: had !== undefined && BigInt(had.high) > BigInt(high) ? had.high : high,
    });
  }
  return [...out.values()];
}

function readValuesOf({ field, name }: z.infer<typeof ValuesQuery>): ValuesOf {
  if (field === "data") {
    if (name === undefined || name === "")
      throw new AppError("BAD_REQUEST", "name: expected the name of a named value", { field: "name" });
    return { data: name };
  }
  return fieldWithValues(field, "field");
}

/** @param parameter where it was asked for */
function fieldWithValues(name: string, parameter: string): { field: FieldName } {
  if (!hasValues(name))
    throw new AppError("BAD_REQUEST", `${parameter}: expected a field whose values are counted, got “${name}”`, {
      field: parameter,
    });
  return { field: name as FieldName };
}

function readMeasure({ by, distinct }: z.infer<typeof ValuesQuery>): Measure {
  if (by !== "distinct") return { by };
  if (distinct === undefined)
    throw new AppError("BAD_REQUEST", "distinct: expected the field whose different values are counted", {
      field: "distinct",
    });
  return { by, of: fieldWithValues(distinct, "distinct").field };
}

const since = (started: number): number => Math.round((performance.now() - started) * 10) / 10;

/** A cursor of following, as text. */
const FOLLOW = "new.";
const FollowText = z.object({
  marks: z.record(z.string().regex(/^\d{1,4}$/), z.int().min(0)),
  within: z.object({ collector: z.int(), number: z.int(), afterId: z.string().regex(/^\d{1,19}$/) }).optional(),
});
const writeFollowCursor = (cursor: FollowCursor): string =>
  FOLLOW + Buffer.from(JSON.stringify(cursor)).toString("base64url");

function readFollowCursor(text: string | undefined): FollowCursor | null {
  if (text === undefined || !text.startsWith(FOLLOW)) return null;
  try {
    const cursor = FollowText.parse(JSON.parse(Buffer.from(text.slice(FOLLOW.length), "base64url").toString("utf8")));
    if (cursor.within === undefined || BigInt(cursor.within.afterId) <= MAX_COUNT) return cursor;
  } catch {}
  throw new AppError("BAD_REQUEST", "cursor: expected the newerCursor of an answer", { field: "cursor" });
}

function readCursor(text: string | undefined): PageKey | null {
  if (text === undefined) return null;
  const m = /^(-?\d{1,16})\.(\d{1,19})$/.exec(text);
  if (!m || !Number.isSafeInteger(Number(m[1])) || BigInt(m[2]!) > MAX_COUNT)
    throw new AppError("BAD_REQUEST", "cursor: expected the nextCursor of an answer", { field: "cursor" });
  return { timeUs: Number(m[1]), id: m[2]! };
}
