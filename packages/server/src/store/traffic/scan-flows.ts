import { US_PER_SECOND } from "@halvik/core/base/time";
import type { RowSet } from "@halvik/core/query/terms";
import {
  CUT,
  type FlowSeen,
  HostFlows,
  type HostTraffic,
  type MarkingChange,
  MarkingChanges,
  NO_SITES,
  type SitesKnown,
  type Stepped,
  StepSums,
  sitesOf,
  WAYS,
} from "@halvik/core/traffic";
import type { Queryable } from "../../kernel/db/pool.js";
import { eachSource, idsOfRows, type PartSource, type SourceVisitor } from "../part-matches.js";
import { readRows, selectFrom } from "../record-rows.js";
import { SearchQuery, type SearchScope } from "../search-query.js";
import { segmentTable } from "../segments.js";
import type { Source } from "../sources.js";
import type { PartHead } from "../term-index.js";
import { FLOW_COLUMNS, type FlowRow, flowSeen, laneOf } from "./flow-rows.js";
import { type Meter, type SumRow, sumsAtHand } from "./read-sums.js";
import { LONGEST_US } from "./sum-flows.js";

/** Rows that are read at once. */
const ROWS = 10_000;
/** Where more than this part of a part's rows match, reading them in their order is quicker than looking up each. */
const READ_ALL_ABOVE = 1 / 40;
/** Flows that are summed at most: what a thread has room for. */
const MOST_FLOWS = 1_000_000;

/** What has been read has to be summed too, which takes nearly as long. */
const READING_PART = 0.55;

/** What is summed of the flows a filter matches. Plain data, so that any thread can do it. */
export interface ScanAsked {
  readonly meters: readonly Meter[];
  /** In steps of this width, which is whole minutes. */
  readonly summed: Stepped;
  readonly sites: SitesKnown;
}

/** Sums of the flows of a window that a filter matches. */
export interface FlowScan {
  /** By dimension, in the order they were asked for. */
  readonly sums: readonly (readonly SumRow[])[];
  /** Flows that matched. */
  readonly flows: number;
  /** From this moment on all were looked at; what went on before is only told in part. Null: there is nothing more. */
  readonly reachedUs: number | null;
}

/** Goes through the flows themselves, the newest first, as far as there is time. */
export async function scanFlows(
  db: Queryable,
  scope: Omit<SearchScope, "shape">,
  { meters, summed, sites }: ScanAsked,
): Promise<FlowScan> {
  const { flows, reachedUs } = await matchingFlows(db, scope);
  const sums = new StepSums(sitesOf(sites), [summed], new Set(meters.map((m) => m.way)));
  for (const { flow, lane } of flows) sums.add(flow, lane);
  const [rows] = sums.take();
  const window = { fromUs: scope.fromUs, toUs: scope.toUs };
  return {
    sums: summed.dimensions.map((d) => sumsAtHand(rows!, summed, meters, d, window, summed.widthUs)),
    flows: flows.length,
    reachedUs,
  };
}

/** What flows of a window tell of a host. */
export interface HostScan {
  readonly traffic: HostTraffic;
  readonly flows: number;
  readonly reachedUs: number | null;
}

/** Goes through the flows of a host, the newest first, as far as there is time. @param stepUs of its course; the window lies on whole steps */
export async function scanHost(
  db: Queryable,
  scope: Omit<SearchScope, "shape">,
  { addresses, stepUs }: HostAsked,
): Promise<HostScan> {
  const { flows, reachedUs } = await matchingFlows(db, scope);
  const host = new HostFlows(new Set(addresses), scope, stepUs);
  for (const { flow, lane } of flows) host.add(flow, lane);
  return { traffic: host.result(), flows: flows.length, reachedUs };
}

/** Where markings are not carried on, in the flows that a filter matches. */
export interface MarkingsScan {
  readonly changes: readonly MarkingChange[];
  readonly flows: number;
  readonly reachedUs: number | null;
}

export async function scanMarkings(db: Queryable, scope: Omit<SearchScope, "shape">): Promise<MarkingsScan> {
  const { flows, reachedUs } = await matchingFlows(db, scope);
  const markings = new MarkingChanges();
  for (const { flow } of flows) markings.add(flow);
  return { changes: markings.result(), flows: flows.length, reachedUs };
}

/** Who sent how many bytes to whom, each conversation once. */
export interface PairsScan {
  readonly pairs: readonly (readonly [src: string, dst: string, bytes: number])[];
  readonly reachedUs: number | null;
}

export async function scanPairs(db: Queryable, scope: Omit<SearchScope, "shape">): Promise<PairsScan> {
  const { flows, reachedUs } = await matchingFlows(db, scope);
  const once = WAYS.indexOf("once");
  const sums = new StepSums(NO_SITES, [{ widthUs: US_PER_SECOND, dimensions: ["pair"] }], new Set([once]));
  for (const { flow, lane } of flows) sums.add(flow, lane);
  const pairs = new Map<string, number>();
  for (const { step, values } of sums.take()[0]!) {
    if (step * US_PER_SECOND < scope.fromUs || step * US_PER_SECOND >= scope.toUs) continue;
    for (const [pair, { bytes }] of values) if (pair !== CUT) pairs.set(pair, (pairs.get(pair) ?? 0) + bytes);
  }
  return {
    pairs: [...pairs].map(([pair, bytes]) => {
      const [src, dst] = pair.split(" ");
      return [src!, dst!, bytes] as const;
    }),
    reachedUs,
  };
}

/** Whose flows, and in steps of which width. Plain data, so that any thread can answer. */
export interface HostAsked {
  readonly addresses: readonly string[];
  readonly stepUs: number;
}

/** Flows of a window that a filter matches, as they ended, with those that ended after it and began in it. */
async function matchingFlows(
  db: Queryable,
  scope: Omit<SearchScope, "shape">,
): Promise<{ readonly flows: ReturnType<MatchingFlows["inOrder"]>; readonly reachedUs: number | null }> {
  // a flow is a record of the moment it ended: one that ends after the window may have been going on in it
  const budgetMs = scope.budgetMs * READING_PART;
  const query = new SearchQuery(db, { ...scope, budgetMs, toUs: scope.toUs + LONGEST_US, shape: "flow" });
  const found = new MatchingFlows(query, await lanes(db));
  const openUs = await eachSource(query, found);
  const { leftAtUs } = found;
  const reachedUs = leftAtUs === null ? openUs : Math.max(leftAtUs, openUs ?? leftAtUs);
  return {
    flows: found.inOrder(),
    reachedUs: reachedUs === null || reachedUs <= scope.fromUs ? null : Math.min(reachedUs, scope.toUs),
  };
}

async function lanes(db: Queryable): Promise<ReadonlyMap<string, string>> {
  const { rows } = await db.query<{ name: string; job: number | null }>(
    "select name, job from segment where shape = 'flow'",
  );
  return new Map(rows.map((r) => [r.name, laneOf(r.job)]));
}

/** Gathers what matches, as core counts it. */
class MatchingFlows implements SourceVisitor {
  private readonly found: { readonly flow: FlowSeen; readonly lane: string }[] = [];
  /** A source was left there, gone through from its end: the search is over then. Null: none was. */
  leftAtUs: number | null = null;

  constructor(
    private readonly query: SearchQuery,
    private readonly lanes: ReadonlyMap<string, string>,
  ) {}

  /** As they ended: what was told of a conversation comes before what is told of it later. */
  inOrder(): readonly { readonly flow: FlowSeen; readonly lane: string }[] {
    return this.found.sort((a, b) => a.flow.timeUs - b.flow.timeUs);
  }

  async fromTerms(source: PartSource, _head: PartHead, rows: RowSet): Promise<void> {
    if (rows.count() > source.rows * READ_ALL_ABOVE) return this.read(source);
    const numbers = rows.list(0, rows.rows);
    for (let at = 0; at < numbers.length; at += ROWS)
      this.take(source, await this.byId(source, await idsOfRows(this.query, source, numbers.slice(at, at + ROWS))));
    if (this.found.length >= MOST_FLOWS) this.query.end();
  }

  async scan(source: Source): Promise<boolean> {
    await this.read(source);
    return true;
  }

  /** Lets the database go through a source, the newest first, as far as there is time. */
  private async read(source: Source): Promise<void> {
    const { query } = this;
    for (let below: { readonly us: number; readonly id: string } | null = null; ; ) {
      const { params, condition } = query.compile(source.shape);
      const bounds = query.bounds(source, params);
      const next =
        below === null ? "" : ` and (r.time, r.id) < (${params.add(below.us)}, ${params.add(below.id, "::bigint")})`;
      const where = `where ${bounds}${next} and ${condition.text} order by r.time desc, r.id desc limit ${ROWS}`;
      let last: { readonly us: number; readonly id: string } | undefined;
      let read: number;
      if (condition.exact) {
        const rows = (await query.rows(
          `select ${FLOW_COLUMNS} from ${segmentTable(source.segment)} r ${where}`,
          params.values,
          "array",
        )) as FlowRow[];
        query.searched.rowsRead += rows.length;
        this.take(source, rows);
        read = rows.length;
        last = rows.slice(-1).map(([id, , us]) => ({ us, id }))[0];
      } else {
        // core decides, which takes the whole record
        const records = readRows(
          source.segment,
          await query.rows(`${selectFrom(source.segment)} ${where}`, params.values),
        );
        const ids = records.filter(query.test).map((r) => r.id);
        this.take(source, await this.byId(source, ids));
        read = records.length;
        last = records.slice(-1).map((r) => ({ us: r.timeUs, id: r.id }))[0];
      }
      if (read < ROWS || last === undefined) return;
      below = last;
      if (query.isOver || this.found.length >= MOST_FLOWS) {
        // of the moment itself there may be more
        this.leftAtUs = below.us + 1;
        query.end();
        return;
      }
    }
  }

  private async byId(source: Source, ids: readonly string[]): Promise<FlowRow[]> {
    if (ids.length === 0) return [];
    this.query.searched.rowsRead += ids.length;
    const rows = await this.query.rows(
      `select ${FLOW_COLUMNS} from ${segmentTable(source.segment)} r where r.id = any($1::bigint[])`,
      [ids],
      "array",
    );
    return rows as FlowRow[];
  }

  private take(source: Source, rows: readonly FlowRow[]): void {
    const lane = this.lanes.get(source.segment) ?? laneOf(null);
    for (const row of rows) this.found.push({ flow: flowSeen(row), lane });
  }
}
