import type { ReportMade } from "@halvik/contract/reports";
import { type EpochUs, formatUs, isZone } from "@halvik/core/base/time";
import type { SenderDirectory } from "@halvik/core/model/senders";
import {
  filterAskedFor,
  type Period,
  type ReportDefinition,
  sayPeriod,
  type Window,
  windowBefore,
  windowOf,
} from "@halvik/core/report";
import type { Actor } from "../../kernel/actor.js";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import { keptOf } from "../../store/segments.js";
import type { TermIndex } from "../../store/term-index.js";
import { trafficSources } from "../../store/traffic/read-sums.js";
import { coverageJson, coverageOf } from "../intake/coverage.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Presenter } from "../names/presenter.js";
import { oldestRecordUs } from "../overview/repository.js";
import type { Ask } from "../records/questions.js";
import { readFilter } from "../records/read-filter.js";
import { windowJson } from "../records/searched-window.js";
import { namesOfInterfaces } from "../traffic/interface-names.js";
import { keptLimits } from "./kept-limits.js";
import { makePart, type PartNeeds, type PartScope } from "./make-part.js";
import { stretchesWithRecords } from "./own-repository.js";

/** What reports are made with. */
export interface ReportNeeds {
  readonly config: Config;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
  readonly terms: TermIndex;
  /** Who answers questions about a filter. */
  readonly ask: Ask;
}

/** A moment to look back from, as somebody of whom something may be asked sees it. */
export interface ReportAsked {
  readonly period: Period;
  readonly filter: string;
  readonly asks: ReportDefinition["asks"];
  readonly of: string | null;
  readonly zone: string;
  readonly atUs: EpochUs;
}

/** What a report is made over, and what an answer says of that. */
interface MadeOver {
  readonly scope: PartScope;
  readonly json: Pick<ReportMade, "window" | "before" | "zone" | "firstRecord" | "comparable">;
}

/** @throws {AppError} for a zone that is none */
export async function scopeOf(
  { db, directory }: Pick<ReportNeeds, "db" | "directory">,
  asked: ReportAsked,
): Promise<MadeOver> {
  const { period, filter, asks, of, zone, atUs } = asked;
  if (!isZone(zone)) throw new AppError("BAD_REQUEST", `zone: "${zone}" is no IANA zone`, { field: "zone" });
  const window = windowOf(period, atUs, zone);
  const before = windowBefore(period, window, zone);
  const firstUs = await oldestRecordUs(db);
  const comparable = await isThere(db, before, window);
  return {
    scope: {
      window,
      before: comparable ? before : null,
      zone,
      filter: filterAskedFor({ asks, filter }, of),
      senders: sendersOf(await directory.get(), asks, of),
    },
    json: {
      window: windowJson(window),
      before: windowJson(before),
      zone,
      firstRecord: firstUs === null ? null : formatUs(firstUs),
      comparable,
    },
  };
}

/** Of the period before: so much as there is of the period itself, or what is not kept of then would make everything new. */
const ENOUGH = 0.9;

/** Whether the period before is there whole: nothing of it is dropped, and records came in as much of its time as in that of the period. */
export async function isThere(db: Pool, before: Window, window: Window): Promise<boolean> {
  if ((await keptOf(db, before)).dropped) return false;
  const [then, now] = [await stretchesWithRecords(db, before), await stretchesWithRecords(db, window)];
  const length = ({ fromUs, toUs }: Window) => toUs - fromUs;
  return then > 0 && then / length(before) >= (ENOUGH * now) / length(window);
}

function sendersOf(
  directory: SenderDirectory,
  asks: ReportDefinition["asks"],
  of: string | null,
): readonly number[] | null {
  if (asks === "nothing" || of === null) return null;
  return asks === "sender" ? directory.idsOf(of) : directory.idsWith(asks, [of]);
}

/** @param actor whose saved filters hold, and who it says made it */
export async function partNeeds(needs: ReportNeeds, actor: Actor, zone: string, budgetMs: number): Promise<PartNeeds> {
  const now = nowUs();
  return {
    ...needs,
    senders: await needs.directory.get(),
    nowUs: now,
    budgetMs,
    limits: null,
    firstUs: () => oldestRecordUs(needs.db),
    traffic: {
      minuteDays: needs.config.HALVIK_KEEP_TRAFFIC_MINUTE_DAYS,
      fiveDays: needs.config.HALVIK_KEEP_TRAFFIC_FIVE_DAYS,
      interfaceNames: async () => namesOfInterfaces(needs, await trafficSources(needs.db)),
    },
    read: async (filter, window: Window) =>
      (await readFilter(needs, actor, { filter, zone, ...windowJson(window) }, now)).filter,
  };
}

const PART_BUDGET_MS = 15_000;
/** All of a report: what is left of it is the least a part has, which then says how far it came. */
const REPORT_BUDGET_MS = 150_000;
const LEAST_BUDGET_MS = 500;

/** All of a report, part by part. */
export async function makeReport(
  needs: ReportNeeds,
  actor: Actor,
  report: ReportDefinition,
  asked: Pick<ReportAsked, "of" | "zone" | "atUs">,
): Promise<ReportMade> {
  const started = performance.now();
  const { scope, json } = await scopeOf(needs, { ...report, ...asked });
  const partly = {
    ...(await partNeeds(needs, actor, scope.zone, PART_BUDGET_MS)),
    limits: await keptLimits(needs.db),
  };
  const parts = [];
  for (const part of report.parts) {
    const left = REPORT_BUDGET_MS - (performance.now() - started);
    const budgetMs = Math.max(LEAST_BUDGET_MS, Math.min(PART_BUDGET_MS, left));
    parts.push(await makePart({ ...partly, budgetMs }, part, scope));
  }
  return {
    name: report.name,
    about: report.about,
    period: sayPeriod(report.period),
    of: report.asks === "nothing" ? null : asked.of,
    filter: scope.filter,
    ...json,
    made: formatUs(nowUs()),
    by: actor.name,
    lacking: coverageJson(
      await coverageOf(needs.db, scope.window, { directory: partly.senders, nowUs: partly.nowUs, terms: needs.terms }),
    ),
    parts,
    tookMs: Math.round(performance.now() - started),
  };
}
