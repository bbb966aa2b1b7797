import {
  Acknowledge,
  AssignIncident,
  BulkAct,
  BulkAnswer,
  CloseIncident,
  EntityId,
  IncidentDetail,
  IncidentList,
  IncidentQuery,
  LinkIncident,
  MergeIncident,
  NewTask,
  Note,
  ShelveIncident,
  SplitIncident,
  TaskChange,
} from "@halvik/contract";
import { formatUs, readRfc3339 } from "@halvik/core/base/time";
import { findingTitle, readKeptRule, severityOf } from "@halvik/core/detect";
import { entityCode } from "@halvik/core/model/entity";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { z } from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Pool } from "../../kernel/db/pool.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { readWindow } from "../../kernel/http/window.js";
import { findRecord } from "../../store/find-records.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Presenter } from "../names/presenter.js";
import { actOnMany, undoAct } from "./bulk-acts.js";
import { incidentDetail, incidentJson } from "./detail.js";
import { incidentAsJson, incidentAsMarkdown } from "./export.js";
import { handover } from "./handover.js";
import {
  acknowledge,
  assignIncident,
  closeIncident,
  type FindingDetail,
  findIncident,
  findingsOf,
  linkIncident,
  listIncidents,
  mergeIncidents,
  needingAttention,
  ruleBodies,
  shelveIncident,
  splitIncident,
} from "./repository.js";
import { addTask, markTask } from "./tasks-repository.js";

const params = z.object({ id: EntityId });

/** What these routes work with. */
interface Needs {
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
}

export const incidentRoutes = ({ db, directory, presenter }: Needs) => {
  const detail = async (id: number) => {
    const senders = await directory.get();
    const found = await incidentDetail(db, id, senders, await presenter.present(senders));
    if (!found) throw notFound(id);
    return found;
  };
  return [
    route({
      method: "get",
      path: "/incidents",
      summary: "Incidents that touch a window: what needs somebody first, then the open ones, the most urgent on top",
      access: "read",
      query: IncidentQuery,
      answer: IncidentList,
      handle: async ({ query }) => {
        const window =
          query.from === undefined && query.to === undefined
            ? { fromUs: 0, toUs: nowUs() + 86_400_000_000 }
            : readWindow(query, nowUs());
        const senders = await directory.get();
        const now = nowUs();
        const rows = await listIncidents(db, { state: query.state, ...window, limit: query.limit, nowUs: now });
        return {
          incidents: rows.map((row) => incidentJson(row, senders, now)),
          attention: (await needingAttention(db, now)).length,
        };
      },
    }),
    route({
      method: "get",
      path: "/incidents/handover",
      summary: "What the next shift must know of all open incidents, as Markdown",
      access: "read",
      answer: { type: "text/markdown" },
      handle: async ({ actor, res }) => {
        const now = nowUs();
        const open = await listIncidents(db, {
          state: "open",
          fromUs: 0,
          toUs: now + DAY_US,
          limit: HANDED_OVER,
          nowUs: now,
        });
        const details: IncidentDetail[] = [];
        for (const { id } of open) details.push(IncidentDetail.parse(await detail(id)));
        res.type("text/markdown").send(handover(details, actor.name, formatUs(nowUs())));
        return undefined;
      },
    }),
    route({
      method: "post",
      path: "/incidents/bulk",
      summary: "Does the same to several incidents; can be taken back",
      access: "act",
      body: BulkAct,
      answer: BulkAnswer,
      handle: async ({ body, actor }) => {
        const until = body.act.what === "shelve" ? timeToCome(body.act.until) : null;
        return inAct(db, actor.name, async (act) => {
          const result = await actOnMany(act.db, body, until, actor.name, act.atUs);
          for (const id of result.changed) await act.tell(id, ...saidOf(body.act, until));
          await act.audit(`incidents: ${body.act.what}`, { incidents: result.changed });
          return result;
        });
      },
    }),
    route({
      method: "post",
      path: "/incidents/bulk/{id}/undo",
      summary: "Takes back what was done to several incidents, where nobody has done something else since",
      access: "act",
      params,
      answer: BulkAnswer,
      handle: ({ params: p, actor }) =>
        inAct(db, actor.name, async (act) => {
          const undone = await undoAct(act.db, p.id);
          if (!undone) throw new AppError("NOT_FOUND", "there is nothing to take back (any more)");
          const [what] = saidOf(undone.kept.act, undone.kept.act.untilUs);
          for (const id of undone.result.changed) await act.tell(id, "took back", `“${what}”`);
          await act.audit(`incidents: took back ${undone.kept.act.what}`, { incidents: undone.result.changed });
          return undone.result;
        }),
    }),
    route({
      method: "get",
      path: "/incidents/{id}",
      summary: "One incident: evidence, why it was raised, history",
      access: "read",
      params,
      answer: IncidentDetail,
      handle: ({ params: p }) => detail(p.id),
    }),
    route({
      method: "get",
      path: "/incidents/{id}/export",
      summary: "One incident as Markdown or JSON, with the SHA-256 of the raw bytes of its evidence",
      access: "read",
      params,
      query: z.object({ format: z.enum(["markdown", "json", "handover"]).default("markdown") }),
      answer: { type: "text/markdown" },
      handle: async ({ params: p, query, actor, res }) => {
        const found = IncidentDetail.parse(await detail(p.id));
        const rawOf = async (id: string) => {
          const stored = await findRecord(db, id);
          if (stored === null) return null;
          const { head, text, tail } = stored.record;
          return stored.raw ?? Buffer.from(head + text + tail, "utf8");
        };
        if (query.format === "handover") {
          res.type("text/markdown").send(handover([found], actor.name, formatUs(nowUs())));
          return undefined;
        }
        const markdown = query.format === "markdown";
        const body = await (markdown ? incidentAsMarkdown : incidentAsJson)(found, rawOf);
        await inAct(db, actor.name, (act) => act.audit("incident exported", { incident: p.id, format: query.format }));
        res
          .type(markdown ? "text/markdown" : "application/json")
          .attachment(`incident-${p.id}.${markdown ? "md" : "json"}`)
          .send(body);
        return undefined;
      },
    }),
    route({
      method: "post",
      path: "/incidents/{id}/acknowledge",
      summary: "Says “I saw it”; covers the evidence so far",
      access: "act",
      params,
      body: Acknowledge,
      answer: IncidentDetail,
      handle: async ({ params: p, body, actor }) => {
        await inAct(db, actor.name, async (act) => {
          if (!(await acknowledge(act.db, p.id, act.who, act.atUs)))
            throw new AppError("NOT_FOUND", `there is no incident ${p.id}`);
          await act.tell(p.id, "acknowledged", body.note);
          await act.audit("incident acknowledged", { incident: p.id });
        });
        return detail(p.id);
      },
    }),
    route({
      method: "post",
      path: "/incidents/{id}/notes",
      summary: "Adds a note",
      access: "act",
      params,
      body: Note,
      answer: IncidentDetail,
      handle: async ({ params: p, body, actor }) => {
        await inAct(db, actor.name, async (act) => {
          if (!(await findIncident(act.db, p.id))) throw notFound(p.id);
          await act.tell(p.id, "note", body.note);
        });
        return detail(p.id);
      },
    }),
    route({
      method: "post",
      path: "/incidents/{id}/close",
      summary: "Closes with a reason; fixed may return within 24 h, expected and false start anew",
      access: "act",
      params,
      body: CloseIncident,
      answer: IncidentDetail,
      handle: async ({ params: p, body, actor }) => {
        await inAct(db, actor.name, async (act) => {
          if (!(await findIncident(act.db, p.id))) throw notFound(p.id);
          if (!(await closeIncident(act.db, p.id, body.reason, act.atUs)))
            throw new AppError("CONFLICT", `incident ${p.id} is closed already`);
          await act.tell(p.id, `closed as ${body.reason}`, body.note);
          await act.audit("incident closed", { incident: p.id, reason: body.reason });
        });
        return detail(p.id);
      },
    }),
    route({
      method: "post",
      path: "/incidents/{id}/assign",
      summary: "Says who works on it; null: nobody",
      access: "act",
      params,
      body: AssignIncident,
      answer: IncidentDetail,
      handle: async ({ params: p, body, actor }) => {
        await inAct(db, actor.name, async (act) => {
          if (!(await assignIncident(act.db, p.id, body.to || null))) throw notFound(p.id);
          await act.tell(p.id, "assigned", body.to || "nobody");
        });
        return detail(p.id);
      },
    }),
    route({
      method: "post",
      path: "/incidents/{id}/shelve",
      summary: "Keeps it out of the queue until a moment, with the reason; null brings it back",
      access: "act",
      params,
      body: ShelveIncident,
      answer: IncidentDetail,
      handle: async ({ params: p, body, actor }) => {
        const until = body.until === null ? null : timeToCome(body.until);
        await inAct(db, actor.name, async (act) => {
          if (!(await shelveIncident(act.db, p.id, until, act.who, body.why))) throw notFound(p.id);
          if (until === null) await act.tell(p.id, "taken from the shelf");
          else await act.tell(p.id, "shelved", `until ${formatUs(until)}${body.why ? `: ${body.why}` : ""}`);
          await act.audit("incident shelved", { incident: p.id });
        });
        return detail(p.id);
      },
    }),
    route({
      method: "post",
      path: "/incidents/{id}/tasks",
      summary: "Adds something that is to be done",
      access: "act",
      params,
      body: NewTask,
      answer: IncidentDetail,
      handle: async ({ params: p, body, actor }) => {
        await inAct(db, actor.name, async (act) => {
          if (!(await findIncident(act.db, p.id))) throw notFound(p.id);
          await addTask(act.db, p.id, body.text, act.who, act.atUs);
          await act.tell(p.id, "task added", body.text);
        });
        return detail(p.id);
      },
    }),
    route({
      method: "patch",
      path: "/incidents/{id}/tasks/{task}",
      summary: "Says that a task is done, or is not",
      access: "act",
      params: params.extend({ task: EntityId }),
      body: TaskChange,
      answer: IncidentDetail,
      handle: async ({ params: p, body, actor }) => {
        await inAct(db, actor.name, async (act) => {
          const text = await markTask(act.db, p.id, p.task, body.done, act.who, act.atUs);
          if (text !== null) await act.tell(p.id, body.done ? "task done" : "task open again", text);
        });
        return detail(p.id);
      },
    }),
    route({
      method: "post",
      path: "/incidents/{id}/merge",
      summary: "Moves its findings into another incident, which stays",
      access: "act",
      params,
      body: MergeIncident,
      answer: IncidentDetail,
      handle: async ({ params: p, body, actor }) => {
        await inAct(db, actor.name, async (act) => {
          const [from, into] = [await findIncident(act.db, p.id), await findIncident(act.db, body.into)];
          if (!from) throw notFound(p.id);
          if (!into) throw notFound(body.into);
          if (p.id === body.into || from.merged_into !== null || into.merged_into !== null)
            throw new AppError("CONFLICT", `incident ${p.id} cannot be merged into ${body.into}`);
          await mergeIncidents(act.db, p.id, body.into, `merged by ${act.who} from incident ${p.id}`);
          await act.tell(p.id, "merged", `into incident ${body.into}`);
          await act.tell(body.into, "took in", `incident ${p.id}: ${from.title}`);
          await act.audit("incidents merged", { incident: p.id, into: body.into });
        });
        return detail(body.into);
      },
    }),
    route({
      method: "post",
      path: "/incidents/{id}/link",
      summary: "Links it to another one that it has to do with; null takes the link away",
      access: "act",
      params,
      body: LinkIncident,
      answer: IncidentDetail,
      handle: async ({ params: p, body, actor }) => {
        await inAct(db, actor.name, async (act) => {
          if (body.to === p.id) throw new AppError("CONFLICT", `incident ${p.id} cannot be linked to itself`);
          if (body.to !== null && !(await findIncident(act.db, body.to))) throw notFound(body.to);
          if (!(await linkIncident(act.db, p.id, body.to))) throw notFound(p.id);
          await act.tell(
            p.id,
            body.to === null ? "link taken away" : "linked",
            body.to === null ? "" : `to incident ${body.to}`,
          );
          await act.audit("incident linked", { incident: p.id, to: body.to });
        });
        return detail(p.id);
      },
    }),
    route({
      method: "post",
      path: "/incidents/{id}/split",
      summary: "Takes a finding, or all that name something, out into an incident of their own",
      access: "act",
      params,
      body: SplitIncident,
      answer: IncidentDetail,
      handle: async ({ params: p, body, actor }) => {
        const made = await inAct(db, actor.name, async (act) => {
          const row = await findIncident(act.db, p.id);
          if (!row) throw notFound(p.id);
          const senders = await directory.get();
          const findings = await findingsOf(act.db, p.id);
          const out =
            "finding" in body ? findings.filter((f) => f.id === body.finding) : naming(findings, body.entity, senders);
          const versions = await ruleBodies(act.db, out);
          // it has the name and severity of the worst that is taken out, the earliest of several
          const [worst] = out
            .flatMap((f) => {
              const version = versions.find((v) => v.id === f.rule_id && v.version === f.rule_version);
              const rule = readKeptRule(version?.body)?.rule;
              if (!version || !rule) return [];
              return [{ ...f, rule, version: version.version, severity: severityOf(rule, f) }];
            })
            .sort((a, b) => a.severity - b.severity || a.first_us - b.first_us);
          const what = "finding" in body ? `finding ${body.finding}` : `${body.entity.field} ${body.entity.value}`;
          if (!worst || out.length === findings.length)
            throw new AppError("CONFLICT", `${what} cannot be taken out of incident ${p.id}`);
          const ids = [worst.id, ...out.map((f) => f.id).filter((id) => id !== worst.id)];
          const own = await splitIncident(act.db, p.id, ids, {
            title: findingTitle(worst.rule, worst, senders),
            severity: worst.severity,
            ruleVersion: worst.version,
          });
          if (own === null) throw new AppError("CONFLICT", `${what} is not there any more`);
          await act.tell(p.id, "split", `${what} was taken out: incident ${own}`);
          await act.tell(own, "split", `taken out of incident ${p.id}`);
          await act.audit("incident split", { incident: p.id, own });
          return own;
        });
        return detail(made);
      },
    }),
  ];
};

/** Findings that name something. */
function naming(
  findings: readonly FindingDetail[],
  { field, value }: { readonly field: string; readonly value: string },
  senders: SenderDirectory,
): FindingDetail[] {
  const names =
    field === "sender"
      ? senders.idsByName((n) => n === value).map((id) => entityCode("sender", String(id)))
      : [entityCode(field, value)];
  return findings.filter((f) => f.entities.some((e) => names.includes(e)));
}

const DAY_US = 86_400_000_000;
const HANDED_OVER = 100;

/** What an act is called in an incident's history. */
function saidOf(act: BulkAct["act"], untilUs: number | null): [what: string, detail: string] {
  switch (act.what) {
    case "acknowledge":
      return ["acknowledged", ""];
    case "assign":
      return ["assigned", act.to || "nobody"];
    case "shelve":
      return ["shelved", `until ${formatUs(untilUs ?? 0)}${act.why ? `: ${act.why}` : ""}`];
    case "close":
      return [`closed as ${act.reason}`, act.note];
  }
}

function timeToCome(text: string): number {
  const us = readRfc3339(text)?.us ?? 0;
  if (us <= nowUs()) throw new AppError("BAD_TIME", "until: expected a time to come", { field: "until" });
  return us;
}

const notFound = (id: number): AppError => new AppError("NOT_FOUND", `there is no incident ${id}`);
