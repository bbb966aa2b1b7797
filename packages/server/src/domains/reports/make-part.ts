import { IncidentDetail } from "@halvik/contract/incidents";
import { RecordJson } from "@halvik/contract/records";
import type { PartMade } from "@halvik/contract/reports";
import { formatUs, formatZoned, type Step } from "@halvik/core/base/time";
import { entityCode } from "@halvik/core/model/entity";
import { bothOf, type Filter, readFilter as filterInWords } from "@halvik/core/query/filter";
import { byTheWeek, isOwn } from "@halvik/core/query/measure";
import { MOST_BANDS, type Part, type Window } from "@halvik/core/report";
import { storyOf } from "@halvik/core/respond/story";
import type { Pool } from "../../kernel/db/pool.js";
import { toAppError } from "../../kernel/http/errors.js";
import type { MeasureOf } from "../../store/measure-records.js";
import type { TermIndex } from "../../store/term-index.js";
import { incidentDetail } from "../incidents/detail.js";
import { needingAttention } from "../incidents/repository.js";
import { coverageOf } from "../intake/coverage.js";
import type { Presenter } from "../names/presenter.js";
import { oldestRecordUs } from "../overview/repository.js";
import { withGaps } from "./gaps.js";
import type { KeptLimit } from "./kept-limits.js";
import { fittingStep, measuredPart } from "./measured/measured-part.js";
import type { MeasureNeeds } from "./measured/way.js";
import { type OwnNeeds, ownFigures } from "./own-figures.js";
import { incidentsOf } from "./own-repository.js";
import { touchingLimits } from "./touching-limits.js";

/** What parts are made with. */
export interface PartNeeds extends MeasureNeeds {
  readonly db: Pool;
  readonly presenter: Presenter;
  readonly terms: TermIndex;
  readonly nowUs: number;
  readonly budgetMs: number;
  /** Limits that may guard what is measured; null: nobody asks for them. */
  readonly limits: readonly KeptLimit[] | null;
}

/** Over what a part is made. */
export interface PartScope {
  readonly window: Window;
  /** The period before; null where it is not there whole, and nothing can be compared with it. */
  readonly before: Window | null;
  readonly zone: string;
  /** Holds for every part that tells of records. */
  readonly filter: string;
  /** The senders it is of; null: all. */
  readonly senders: readonly number[] | null;
}

/** What says nothing of the part: the database is away, or a mistake of ours. */
const NOT_OF_THE_PART: readonly string[] = ["STORE_AWAY", "INTERNAL"];

/** A part that cannot be made says why; the others are made. */
export async function makePart(needs: PartNeeds, part: Part, scope: PartScope): Promise<PartMade> {
  try {
    return await made(needs, part, scope);
  } catch (e) {
    const known = toAppError(e);
    if (NOT_OF_THE_PART.includes(known.code)) throw e;
    return { is: "failed", title: "title" in part ? part.title : "", why: known.message };
  }
}

async function made(needs: PartNeeds, part: Part, scope: PartScope): Promise<PartMade> {
  switch (part.is) {
    case "text":
      return part;
    case "figure":
    case "bars":
    case "table":
      return measuredAs(needs, part.is, part.title, part.measure, scope, part.compare, null);
    case "course":
      return measuredAs(
        needs,
        "course",
        part.title,
        part.measure,
        scope,
        part.compare,
        part.step === "fitting" ? fittingStep(scope.window) : part.step,
      );
    case "profile": {
      const measure = { ...part.measure, order: "most" as const, top: MOST_BANDS };
      const step = part.step === "fitting" ? fittingStep(scope.window) : part.step;
      return measuredAs(needs, part.is, part.title, measure, scope, false, step);
    }
    case "hours of the week":
      return measuredAs(needs, part.is, part.title, byTheWeek(part.measure), scope, false, null);
    case "incidents":
      return incidents(needs, part, scope);
    case "records":
      return records(needs, part, scope);
    case "own figures":
      return {
        is: part.is,
        // what Halvik knows of itself is of no sender
        title: scope.senders === null ? part.title : `${part.title} (of all senders)`,
        figures: await ownFigures(
          part.figures,
          ownNeeds(needs, scope.window),
          part.compare && scope.before !== null ? ownNeeds(needs, scope.before) : null,
        ),
      };
  }
}

async function measuredAs(
  needs: PartNeeds,
  as: Extract<PartMade, { is: "measured" }>["as"],
  title: string,
  measure: Parameters<typeof measuredPart>[1],
  { window, before, zone, filter, senders }: PartScope,
  compare: boolean,
  step: Step | null,
): Promise<PartMade> {
  const { nowUs, budgetMs } = needs;
  const scope = { window, before: compare ? before : null, zone, step, nowUs, budgetMs, senders };
  const asked = isOwn(measure) ? "" : bothOf(filter, measure.filter);
  const measured = await withGaps(needs.db, await measuredPart(needs, measure, asked, scope), needs.nowUs);
  const limits = needs.limits === null ? [] : await touchingLimits(needs, measured, needs.limits, window, needs.nowUs);
  return { is: "measured", as, title, measured: { ...measured, limits } };
}

const STORY_MOST = 12;

async function incidents(
  { db, senders, presenter }: PartNeeds,
  part: Extract<Part, { is: "incidents" }>,
  { window, zone, senders: ofSenders }: PartScope,
): Promise<PartMade> {
  const { ids, all } = await incidentsOf(
    db,
    window,
    part.worst,
    part.most,
    ofSenders?.map((id) => entityCode("sender", String(id))) ?? null,
  );
  const present = await presenter.present(senders);
  const told = [];
  for (const id of ids) {
    const detail = await incidentDetail(db, id, senders, present);
    if (detail === null) continue;
    const { incident } = detail;
    const { title, severity, state, first, last, count, closeReason, assignedTo } = incident;
    const story = part.stories
      ? storyOf(IncidentDetail.parse(detail), (us) => formatZoned(us, zone)).slice(0, STORY_MOST)
      : [];
    told.push({
      ...{ id, title, severity, state, first, last, count, closeReason, assignedTo },
      story: story.map((p) => ({ at: formatUs(p.us), text: p.text })),
    });
  }
  return { is: "incidents", title: part.title, incidents: told, more: Math.max(0, all - told.length) };
}

async function records(needs: PartNeeds, part: Extract<Part, { is: "records" }>, scope: PartScope): Promise<PartMade> {
  const text = bothOf(scope.filter, part.filter);
  const filter = await needs.read(text, scope.window);
  const page = await needs.ask(filter).page({
    filter,
    ...scope.window,
    nowUs: needs.nowUs,
    budgetMs: needs.budgetMs,
    limit: part.most,
    cursor: null,
    direction: "older",
  });
  const present = await needs.presenter.present(needs.senders);
  return {
    is: "records",
    title: part.title,
    filter: text,
    reading: filterInWords(filter, (us) => formatZoned(us, scope.zone)),
    records: page.records.map((r) => RecordJson.parse(present(r))),
    more: page.next !== null || page.partial,
  };
}

const everything: Filter = { type: "everything" };
const COUNTED: MeasureOf = { figure: { of: "records" }, by: [], steps: null, zone: "UTC" };

function ownNeeds({ db, ask, terms, senders, nowUs, budgetMs }: PartNeeds, window: Window): OwnNeeds {
  let known: ReturnType<OwnNeeds["coverage"]> | null = null;
  return {
    db,
    window,
    nowUs,
    coverage: () => {
      known ??= coverageOf(db, window, { directory: senders, nowUs, terms });
      return known;
    },
    recordsArrived: async () =>
      Number(
        (await ask(everything).measure({ filter: everything, ...window, nowUs, budgetMs, of: COUNTED })).total.value,
      ),
    needsAttention: async () => (await needingAttention(db, nowUs)).length,
    oldestUs: () => oldestRecordUs(db),
  };
}
