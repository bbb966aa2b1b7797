import type { ReportMade } from "@halvik/contract/reports";
import { type EpochUs, formatUs, isZone } from "@halvik/core/base/time";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import {
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
import type { TermIndex } from "../../store/term-index.js";
import { coverageJson, coverageOf } from "../intake/coverage.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Presenter } from "../names/presenter.js";
import type { Ask } from "../records/questions.js";
import { readFilter } from "../records/read-filter.js";
import { windowJson } from "../records/searched-window.js";
import { makePart, type PartNeeds, type PartScope } from "./make-part.js";
import { both } from "./measured-part.js";

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

/** @throws {AppError} for a zone that is none */
export function scopeOf({ period, filter, asks, of, zone, atUs }: ReportAsked): PartScope {
  if (!isZone(zone)) throw new AppError("BAD_REQUEST", `zone: "${zone}" is no IANA zone`, { field: "zone" });
  const window = windowOf(period, atUs, zone);
  return { window, before: windowBefore(period, window, zone), zone, filter: both(narrowed(asks, of), filter) };
}

/** The senders a report is of, where it asks for them. */
function narrowed(asks: ReportDefinition["asks"], of: string | null): string {
  if (asks === "nothing" || of === null) return "";
  return asks === "sender" ? `sender is ${quoteIfNeeded(of)}` : `sender in ${asks} ${quoteIfNeeded(of)}`;
}

/** @param actor whose saved filters hold, and who it says made it */
export async function partNeeds(needs: ReportNeeds, actor: Actor, zone: string, budgetMs: number): Promise<PartNeeds> {
  const now = nowUs();
  return {
    ...needs,
    senders: await needs.directory.get(),
    nowUs: now,
    budgetMs,
    read: async (filter, window: Window) =>
      (await readFilter(needs, actor, { filter, zone, ...windowJson(window) }, now)).filter,
  };
}

const PART_BUDGET_MS = 15_000;

/** All of a report, part by part. */
export async function makeReport(
  needs: ReportNeeds,
  actor: Actor,
  report: ReportDefinition,
  asked: Pick<ReportAsked, "of" | "zone" | "atUs">,
): Promise<ReportMade> {
  const started = performance.now();
  const scope = scopeOf({ ...report, ...asked });
  const with_ = await partNeeds(needs, actor, scope.zone, PART_BUDGET_MS);
  const parts = [];
  for (const part of report.parts) parts.push(await makePart(with_, part, scope));
  return {
    name: report.name,
    about: report.about,
    period: sayPeriod(report.period),
    of: report.asks === "nothing" ? null : asked.of,
    filter: scope.filter,
    window: windowJson(scope.window),
    before: windowJson(scope.before),
    zone: scope.zone,
    made: formatUs(nowUs()),
    by: actor.name,
    lacking: coverageJson(
      await coverageOf(needs.db, scope.window, { directory: with_.senders, nowUs: with_.nowUs, terms: needs.terms }),
    ),
    parts,
    tookMs: Math.round(performance.now() - started),
  };
}
