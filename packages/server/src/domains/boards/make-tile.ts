import type { TileMade } from "@halvik/contract/boards";
import { IncidentJson } from "@halvik/contract/incidents";
import type { TileShows } from "@halvik/core/board";
import { readKeptRule } from "@halvik/core/detect";
import type { Window } from "@halvik/core/report";
import type { Actor } from "../../kernel/actor.js";
import { missFlows } from "../../store/traffic/sum-flows.js";
import { summaryOf } from "../health/summary.js";
import { incidentJson } from "../incidents/detail.js";
import { listIncidents, needingAttention } from "../incidents/repository.js";
import { load } from "../load/load.js";
import type { KeptOverview } from "../overview/kept-overview.js";
import { limitLines } from "../reports/all-limits.js";
import { makePart } from "../reports/make-part.js";
import { isThere, partNeeds, type ReportNeeds } from "../reports/make-report.js";
import { listRules } from "../rules/repository.js";
import { fullestLinks } from "../traffic/fullest-links.js";

/** What tiles are made with. */
export interface TileNeeds extends ReportNeeds {
  readonly nights: KeptOverview;
}

/** Over what a tile is made, and as whom. */
export interface TileScope {
  readonly actor: Actor;
  readonly window: Window;
  readonly zone: string;
  /** Holds for what tells of records. */
  readonly filter: string;
  readonly nowUs: number;
}

const BUDGET_MS = 8_000;
const QUEUE_MOST = 200;
const DAY_US = 86_400_000_000;

/** @throws {AppError} where what it shows cannot be made */
export async function makeTile(needs: TileNeeds, shows: TileShows, scope: TileScope): Promise<TileMade> {
  const { db, config, directory } = needs;
  const { actor, window, zone, filter, nowUs } = scope;
  const summary = async () => summaryOf({ db, directory: await directory.get(), config }, nowUs);
  const cut = <T>(all: readonly T[], most: number) => ({
    shown: all.slice(0, most),
    more: Math.max(0, all.length - most),
  });
  switch (shows.is) {
    case "needs somebody": {
      const senders = await directory.get();
      const asked = { state: "attention", fromUs: 0, toUs: nowUs + DAY_US, limit: QUEUE_MOST, nowUs } as const;
      const rows = await listIncidents(db, asked);
      const all = (await needingAttention(db, nowUs)).length;
      const incidents = rows.slice(0, shows.most).map((row) => {
        const { id, title, severity, state, raised, last, count, assignedTo, acknowledged, newSinceSeen } =
          IncidentJson.parse(incidentJson(row, senders, nowUs));
        return { id, title, severity, state, raised, last, count, assignedTo, acknowledged, newSinceSeen };
      });
      return { is: shows.is, title: shows.title, incidents, more: Math.max(0, all - incidents.length) };
    }
    case "silent senders": {
      const { senders } = await summary();
      const { shown, more } = cut(senders.silent, shows.most);
      return { is: shows.is, title: shows.title, senders: { ...senders, silent: shown }, more };
    }
    case "intake": {
      const { intake, recordsPerSecond, engineBehindSeconds } = await summary();
      return { is: shows.is, title: shows.title, intake, recordsPerSecond, engineBehindSeconds };
    }
    case "limits": {
      const near = (await limitLines(needs, actor, nowUs, "by a line")).sort((a, b) => (b.near ?? -1) - (a.near ?? -1));
      const { shown, more } = cut(near, shows.most);
      return { is: shows.is, title: shows.title, limits: shown, more };
    }
    case "fullest links": {
      const names = await needs.presenter.names();
      const senders = await directory.get();
      const all = await fullestLinks(db, senders, names, window, config.HALVIK_KEEP_TRAFFIC_FIVE_DAYS, nowUs);
      const { shown, more } = cut(all, shows.most);
      const isCounting = await missFlows(db, window, nowUs);
      return { is: shows.is, title: shows.title, links: shown, more, isCounting };
    }
    case "last night": {
      const { night, figures } = await needs.nights.of(zone, nowUs);
      return { is: shows.is, title: shows.title, night, figures };
    }
    case "sites": {
      const { sites } = await needs.nights.of(zone, nowUs);
      return { is: shows.is, title: shows.title, sites };
    }
    case "incidents a day": {
      const { incidents } = await needs.nights.of(zone, nowUs);
      return { is: shows.is, title: shows.title, incidents };
    }
    case "alarm load": {
      const senders = await directory.get();
      const rules = new Map(
        (await listRules(db)).flatMap(({ body }) => {
          const kept = readKeptRule(body);
          return kept === null ? [] : [[kept.rule.id, kept.rule.name] as const];
        }),
      );
      const names = { rule: (id: string) => rules.get(id) ?? id, sender: (id: number) => senders.name(id) };
      const {
        alarms,
        steps,
        stepSeconds,
        figures,
        floods,
        rules: by,
      } = await load(db, { ...window, person: null, liveOnly: true }, names);
      return { is: shows.is, title: shows.title, alarms, steps, stepSeconds, figures, floods, rules: by };
    }
    case "clock":
      return { is: shows.is, title: shows.title, zone: shows.zone === "" ? zone : shows.zone };
    default: {
      const before = { fromUs: 2 * window.fromUs - window.toUs, toUs: window.fromUs };
      const isCompared = "compare" in shows && shows.compare && (await isThere(db, before, window));
      const over = { window, before: isCompared ? before : null, zone, filter, senders: null };
      return makePart(await partNeeds(needs, actor, zone, BUDGET_MS), shows, over);
    }
  }
}
