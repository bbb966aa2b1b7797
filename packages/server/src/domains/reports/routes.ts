import { EntityId } from "@halvik/contract/common";
import {
  ChangedReport,
  LackingAnswer,
  LackingQuery,
  LimitList,
  NewRun,
  PartAnswer,
  PartQuestion,
  ReportKept,
  ReportList,
  ReportMade,
  ReportRead,
  ReportText,
  RunFile,
  RunParams,
  RunQuery,
  ScheduleBody,
} from "@halvik/contract/reports";
import { formatUs } from "@halvik/core/base/time";
import { nextDue, READY_REPORTS, ReportDefinition, sayPeriod, saySchedule } from "@halvik/core/report";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Models } from "../../kernel/db/models.js";
import { type Act, inAct } from "../../kernel/db/unit-of-work.js";
import { AppError, naming } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { readTime } from "../../kernel/http/window.js";
import type { WorkPool } from "../../kernel/threads/work-pool.js";
import { coverageJson, coverageOf } from "../intake/coverage.js";
import { limitLines } from "./all-limits.js";
import { beside } from "./beside.js";
import { keptLimits } from "./kept-limits.js";
import { makePart } from "./make-part.js";
import { makeReport, partNeeds, type ReportNeeds, scopeOf } from "./make-report.js";
import { type FileAsked, fileStem, inFileName, type ReportFile } from "./output/file-of.js";
import { readReportText, writeReportText } from "./report-text.js";
import {
  addReport,
  addRun,
  addSchedule,
  changeReport,
  changeSchedule,
  findReport,
  findRun,
  type KeptReport,
  listReports,
  listSchedules,
  removeReport,
  removeSchedule,
  runsByReport,
} from "./repository.js";

const MOST_REPORTS = 500;
/** Of each report in a list; of one by itself. */
const [RUNS_IN_LIST, RUNS_SHOWN] = [3, 50];
const MOST_SCHEDULES = 20;
/** A part is looked at while it is made. */
const LOOK_BUDGET_MS = 15_000;
const FILE_MS = 60_000;

const params = z.object({ id: EntityId });
const scheduleParams = z.object({ id: EntityId, schedule: EntityId });

/** What these routes work with. */
type Needs = ReportNeeds & { readonly models: Models /** Threads for what takes long. */; readonly work: WorkPool };

/** Reports: what they say, when they are made, what was made. */
export const reportRoutes = (needs: Needs) => {
  const { models, db, config, directory, terms, work } = needs;
  const kept = async (reports: readonly KeptReport[], runs: Awaited<ReturnType<typeof runsByReport>>) => {
    const [schedules, now] = [await listSchedules(db), nowUs()];
    return reports.map(({ id, report, author, changedUs }) => ({
      id,
      report,
      author,
      changed: formatUs(changedUs),
      schedules: schedules
        .filter((s) => s.report === id)
        .map((s) => {
          const next = s.schedule.enabled ? nextDue(s.schedule, now) : null;
          return {
            id: s.id,
            schedule: s.schedule,
            says: saySchedule(s.schedule),
            author: s.author,
            next: next === null ? null : formatUs(next),
          };
        }),
      runs: [...(runs.get(id) ?? [])],
    }));
  };
  const all = async (): Promise<z.infer<typeof ReportKept>[]> =>
    kept(await listReports(db), await runsByReport(db, RUNS_IN_LIST));
  const one = async (id: number): Promise<z.infer<typeof ReportKept>> => {
    const report = await findReport(db, id);
    if (report === null) throw noReport(id);
    return (await kept([report], await runsByReport(db, RUNS_SHOWN, id)))[0]!;
  };
  const change = <T>(who: string, work: (act: Act) => Promise<T>) => naming("report", () => inAct(models, who, work));
  const zoneOf = (zone: string | undefined) => zone ?? config.HALVIK_ZONE;
  return [
    route({
      method: "get",
      path: "/reports",
      summary: "Reports that are kept, and those that ship",
      access: "read",
      answer: ReportList,
      handle: async () => ({ reports: await all(), ready: READY_REPORTS }),
    }),
    route({
      method: "get",
      path: "/limits",
      summary: "Rules that guard a figure by a line, where it is now and was over the last day",
      access: "read",
      answer: LimitList,
      handle: async ({ actor }) => ({ limits: await limitLines(needs, actor, nowUs()) }),
    }),
    route({
      method: "get",
      path: "/reports/{id}",
      summary: "A report, when it is made, and its last outputs",
      access: "read",
      params,
      answer: ReportKept,
      handle: ({ params: p }) => one(p.id),
    }),
    route({
      method: "post",
      path: "/reports",
      summary: "Keeps a report",
      access: "act",
      body: ReportDefinition,
      answer: ReportKept,
      handle: async ({ body, actor }) => {
        const id = await change(actor.name, async (act) => {
          if ((await listReports(act.db)).length >= MOST_REPORTS)
            throw new AppError("CONFLICT", `there are ${MOST_REPORTS} reports already`);
          const made = await addReport(act.db, body, act.who, act.atUs);
          await act.audit("report added", { id: made, name: body.name });
          return made;
        });
        return one(id);
      },
    }),
    route({
      method: "patch",
      path: "/reports/{id}",
      summary: "Changes a report, as long as nobody else has meanwhile; outputs that were made stay as they are",
      access: "act",
      params,
      body: ChangedReport,
      answer: ReportKept,
      handle: async ({ params: p, body: { report, changed }, actor }) => {
        await change(actor.name, async (act) => {
          if (!(await changeReport(act.db, p.id, readTime("changed", changed), report, act.who, act.atUs))) {
            const now = await findReport(act.db, p.id);
            if (now === null) throw noReport(p.id);
            throw new AppError("CONFLICT", `${now.author} has changed this report meanwhile: load it anew`);
          }
          await act.audit("report changed", { id: p.id, name: report.name });
        });
        return one(p.id);
      },
    }),
    route({
      method: "delete",
      path: "/reports/{id}",
      summary: "Deletes a report, its schedules and its outputs",
      access: "act",
      params,
      answer: ReportList,
      handle: async ({ params: p, actor }) => {
        await change(actor.name, async (act) => {
          if (!(await removeReport(act.db, p.id))) throw noReport(p.id);
          await act.audit("report deleted", { id: p.id });
        });
        return { reports: await all(), ready: READY_REPORTS };
      },
    }),
    route({
      method: "post",
      path: "/reports/part",
      summary: "Makes one part of a report, of a period up to a moment",
      access: "read",
      body: PartQuestion,
      answer: PartAnswer,
      handle: async ({ body, actor }) => {
        const started = performance.now();
        const zone = zoneOf(body.zone);
        const { scope, json } = await scopeOf(needs, { ...body, zone, atUs: momentOf(body.at) });
        const measuring = await partNeeds(needs, actor, zone, LOOK_BUDGET_MS);
        const part = await makePart({ ...measuring, limits: await keptLimits(db) }, body.part, scope);
        return { ...json, part, tookMs: Math.round(performance.now() - started) };
      },
    }),
    route({
      method: "post",
      path: "/reports/lacking",
      summary: "What a period may lack, as far as Halvik knows",
      access: "read",
      body: LackingQuery,
      answer: LackingAnswer,
      handle: async ({ body }) => {
        const zone = zoneOf(body.zone);
        const asked = { ...body, filter: "", asks: "nothing" as const, of: null, zone, atUs: momentOf(body.at) };
        const { scope, json } = await scopeOf(needs, asked);
        const context = { directory: await directory.get(), nowUs: nowUs(), terms };
        return {
          ...json,
          period: sayPeriod(body.period),
          lacking: coverageJson(await coverageOf(db, scope.window, context)),
        };
      },
    }),
    route({
      method: "post",
      path: "/reports/read",
      summary: "A report from its file, checked and not kept",
      access: "read",
      body: ReportText,
      answer: ReportRead,
      handle: async ({ body }) => ({ report: readReportText(body.text) }),
    }),
    route({
      method: "get",
      path: "/reports/{id}/file",
      summary: "A report as a file: YAML, to be read elsewhere",
      access: "read",
      params,
      answer: { type: "application/yaml" },
      handle: async ({ params: p, res }) => {
        const { report } = await one(p.id);
        res
          .type("application/yaml")
          .attachment(`${inFileName(report.name)}.yaml`)
          .send(writeReportText(report));
        return undefined;
      },
    }),
    route({
      method: "post",
      path: "/reports/{id}/runs",
      summary: "Makes a report now, whole, and keeps the output",
      access: "act",
      params,
      body: NewRun,
      answer: ReportKept,
      handle: async ({ params: p, body, actor }) => {
        const kept = await findReport(db, p.id);
        if (kept === null) throw noReport(p.id);
        const asked = { of: body.of ?? null, zone: zoneOf(body.zone), atUs: momentOf(body.at) };
        const made = await makeReport(needs, actor, kept.report, asked);
        await change(actor.name, async (act) => {
          const run = await addRun(act.db, p.id, made, act.who, act.atUs);
          await act.audit("report made", { id: p.id, run });
        });
        return one(p.id);
      },
    }),
    route({
      method: "get",
      path: "/reports/{id}/runs/{run}",
      summary: "What was made, whole",
      access: "read",
      params: RunParams,
      query: RunQuery,
      answer: ReportMade,
      handle: ({ params: p, query }) => madeOf(p.id, p.run, query.beside),
    }),
    route({
      method: "get",
      path: "/reports/{id}/runs/{run}/file",
      summary: "What was made as a file: PDF, HTML, CSV of its tables, JSON",
      access: "read",
      params: RunParams,
      query: RunFile,
      answer: { type: "application/octet-stream" },
      handle: async ({ params: p, query, res }) => {
        const made = await madeOf(p.id, p.run, query.beside);
        // hundreds of pages are set beside everybody else
        const asked: FileAsked = { made, format: query.format, part: query.part ?? null };
        const file = await work.run<ReportFile | null>("reportFile", asked, FILE_MS);
        if (file === null) throw new AppError("NOT_FOUND", `part ${asked.part} has no table`, { field: "part" });
        res.type(file.type).attachment(`${fileStem(made)}${file.ending}`);
        res.send(Buffer.from(file.bytes));
        return undefined;
      },
    }),
    route({
      method: "post",
      path: "/reports/{id}/schedules",
      summary: "Has a report made at set times, and sent",
      access: "act",
      params,
      body: ScheduleBody,
      answer: ReportKept,
      handle: async ({ params: p, body, actor }) => {
        await change(actor.name, async (act) => {
          if ((await findReport(act.db, p.id)) === null) throw noReport(p.id);
          if ((await listSchedules(act.db)).filter((s) => s.report === p.id).length >= MOST_SCHEDULES)
            throw new AppError("CONFLICT", `a report has at most ${MOST_SCHEDULES} schedules`);
          await addSchedule(act.db, p.id, body.schedule, act.who, act.atUs);
          await act.audit("report scheduled", { id: p.id, ...body.schedule });
        });
        return one(p.id);
      },
    }),
    route({
      method: "patch",
      path: "/reports/{id}/schedules/{schedule}",
      summary: "Changes when a report is made and who gets it; from now on",
      access: "act",
      params: scheduleParams,
      body: ScheduleBody,
      answer: ReportKept,
      handle: async ({ params: p, body, actor }) => {
        await change(actor.name, async (act) => {
          if (!(await changeSchedule(act.db, p.id, p.schedule, body.schedule, act.who, act.atUs)))
            throw noSchedule(p.schedule);
          await act.audit("report schedule changed", { ...p, ...body.schedule });
        });
        return one(p.id);
      },
    }),
    route({
      method: "delete",
      path: "/reports/{id}/schedules/{schedule}",
      summary: "Has a report no longer made at these times; what was made stays",
      access: "act",
      params: scheduleParams,
      answer: ReportKept,
      handle: async ({ params: p, actor }) => {
        await change(actor.name, async (act) => {
          if (!(await removeSchedule(act.db, p.id, p.schedule))) throw noSchedule(p.schedule);
          await act.audit("report schedule removed", p);
        });
        return one(p.id);
      },
    }),
  ];

  async function madeOf(report: number, run: number, earlier?: number): Promise<z.infer<typeof ReportMade>> {
    if (earlier !== undefined) return beside(await madeOf(report, run), await madeOf(report, earlier));
    const kept = await findRun(db, report, run);
    if (kept === null) throw new AppError("NOT_FOUND", `report ${report} has no output ${run}`);
    if (kept.made === null)
      throw new AppError(
        "CONFLICT",
        kept.run.state === "failed" ? `it could not be made: ${kept.run.why}` : "it is not made yet",
      );
    return kept.made;
  }
};

const noReport = (id: number) => new AppError("NOT_FOUND", `there is no report ${id}`);
const noSchedule = (id: number) => new AppError("NOT_FOUND", `there is no schedule ${id} of this report`);

const momentOf = (at: string | undefined): number => (at === undefined ? nowUs() : readTime("at", at));
