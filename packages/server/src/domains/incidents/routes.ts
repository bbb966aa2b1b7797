import { pipeline } from "node:stream/promises";
import { EntityId } from "@halvik/contract/common";
import {
  Acknowledge,
  AssignIncident,
  BulkAct,
  BulkAnswer,
  CloseIncident,
  EvidencePage,
  EvidenceQuery,
  IncidentDetail,
  IncidentList,
  IncidentQuery,
  LinkIncident,
  MergeIncident,
  NearIncidents,
  NewTask,
  Note,
  SayTechniques,
  ShelveIncident,
  SplitIncident,
  TaskChange,
  UnusualThen,
} from "@halvik/contract/incidents";
import { formatUs, readRfc3339 } from "@halvik/core/base/time";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool } from "../../kernel/db/pool.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { readWindow } from "../../kernel/http/window.js";
import { TermIndex } from "../../store/term-index.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Presenter } from "../names/presenter.js";
import { EXPORTED, incidentDetail, incidentJson, type Reach } from "./detail.js";
import { keptEvidence, storedOrKept } from "./evidence-repository.js";
import { exhibitsOf } from "./exhibits.js";
import { incidentAsJson, incidentAsMarkdown } from "./export.js";
import { handover } from "./handover.js";
import { HeardBefore } from "./heard-before.js";
import { nearAndNotJoined } from "./near.js";
import { findIncident, listIncidents, needingAttention } from "./repository.js";
import {
  acknowledgeOne,
  actOnSeveral,
  addTaskTo,
  assignOne,
  closeOne,
  linkOne,
  markTaskOf,
  mergeOne,
  noIncident,
  noteOn,
  sayTechniquesOf,
  shelveOne,
  splitOut,
  takeBack,
} from "./service.js";

import { unusualThen } from "./unusual.js";

const params = z.object({ id: EntityId });

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
}

export const incidentRoutes = ({ models, db, directory, presenter }: Needs) => {
  const detail = async (id: number, most?: Reach) => {
    const senders = await directory.get();
    const found = await incidentDetail(db, id, senders, await presenter.present(senders), most);
    if (!found) throw noIncident(id);
    return found;
  };
  const heard = new HeardBefore();
  const terms = new TermIndex();
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
        return inAct(models, actor.name, (act) => actOnSeveral(act, body, until));
      },
    }),
    route({
      method: "post",
      path: "/incidents/bulk/{id}/undo",
      summary: "Takes back what was done to several incidents, where nobody has done something else since",
      access: "act",
      params,
      answer: BulkAnswer,
      handle: ({ params: p, actor }) => inAct(models, actor.name, (act) => takeBack(act, p.id)),
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
      path: "/incidents/{id}/evidence",
      summary:
        "What is kept as evidence of an incident, of one rule or step of it if wanted, the newest first, by pages",
      access: "read",
      params,
      query: EvidenceQuery,
      answer: EvidencePage,
      handle: async ({ params: p, query }) => {
        if ((await findIncident(db, p.id)) === null) throw noIncident(p.id);
        const [timeUs, record] = query.after?.split("-") ?? [];
        const after = timeUs === undefined || record === undefined ? null : { timeUs: Number(timeUs), record };
        const scope = { incident: p.id, rule: query.rule, step: query.step };
        const rows = await keptEvidence(db, scope, "newest first", after, query.limit);
        const records = await storedOrKept(
          db,
          rows.map((r) => r.record),
        );
        const present = await presenter.present(await directory.get());
        const last = rows[rows.length - 1];
        return {
          evidence: rows.flatMap(({ record: id, step }) => {
            const there = records.get(id);
            return there === undefined ? [] : [{ step, record: present(there) }];
          }),
          gone: rows.length - records.size,
          next: last === undefined || rows.length < query.limit ? null : `${last.timeUs}-${last.record}`,
        };
      },
    }),
    route({
      method: "get",
      path: "/incidents/{id}/near",
      summary:
        "Incidents near one in time that share something with it and were not joined, with what each link weighs",
      access: "read",
      params,
      answer: NearIncidents,
      handle: async ({ params: p }) => {
        const near = await nearAndNotJoined(db, p.id, await directory.get(), heard, nowUs());
        if (near === null) throw noIncident(p.id);
        return { near: near.map((n) => ({ ...n, links: [...n.links] })) };
      },
    }),
    route({
      method: "get",
      path: "/incidents/{id}/unusual",
      summary:
        "What else was unusual of what an incident is about, while it happened: first sightings and amounts far from usual",
      access: "read",
      params,
      answer: UnusualThen,
      handle: async ({ params: p }) => {
        const found = await unusualThen(db, p.id, await directory.get(), terms);
        if (found === null) throw noIncident(p.id);
        const { lines, fromUs, toUs, ...facts } = found;
        return { ...facts, from: formatUs(fromUs), to: formatUs(toUs), lines: lines.map(({ times: _, ...l }) => l) };
      },
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
        const found = IncidentDetail.parse(await detail(p.id, EXPORTED));
        if (query.format === "handover") {
          res.type("text/markdown").send(handover([found], actor.name, formatUs(nowUs())));
          return undefined;
        }
        const markdown = query.format === "markdown";
        const present = await presenter.present(await directory.get());
        await inAct(models, actor.name, (act) =>
          act.audit("incident exported", { incident: p.id, format: query.format }),
        );
        res
          .type(markdown ? "text/markdown" : "application/json")
          .attachment(`incident-${p.id}.${markdown ? "md" : "json"}`);
        const parts = (markdown ? incidentAsMarkdown : incidentAsJson)(found, (f) => exhibitsOf(db, p.id, f, present));
        await pipeline(parts, res);
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
        await inAct(models, actor.name, (act) => acknowledgeOne(act, p.id, body.note));
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
        await inAct(models, actor.name, (act) => noteOn(act, p.id, body.note));
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
        await inAct(models, actor.name, (act) => closeOne(act, p.id, body));
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
        await inAct(models, actor.name, (act) => assignOne(act, p.id, body.to));
        return detail(p.id);
      },
    }),
    route({
      method: "post",
      path: "/incidents/{id}/techniques",
      summary: "Says what techniques of MITRE ATT&CK it was, by their numbers, besides those its rules name",
      access: "act",
      params,
      body: SayTechniques,
      answer: IncidentDetail,
      handle: async ({ params: p, body, actor }) => {
        await inAct(models, actor.name, (act) => sayTechniquesOf(act, p.id, body.techniques));
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
        await inAct(models, actor.name, (act) => shelveOne(act, p.id, until, body.why));
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
        await inAct(models, actor.name, (act) => addTaskTo(act, p.id, body.text));
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
        await inAct(models, actor.name, (act) => markTaskOf(act, p.id, p.task, body.done));
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
        await inAct(models, actor.name, (act) => mergeOne(act, p.id, body.into));
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
        await inAct(models, actor.name, (act) => linkOne(act, p.id, body.to));
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
        const senders = await directory.get();
        const made = await inAct(models, actor.name, (act) => splitOut(act, p.id, body, senders));
        return detail(made);
      },
    }),
  ];
};

const DAY_US = 86_400_000_000;
const HANDED_OVER = 100;

function timeToCome(text: string): number {
  const us = readRfc3339(text)?.us ?? 0;
  if (us <= nowUs()) throw new AppError("BAD_TIME", "until: expected a time to come", { field: "until" });
  return us;
}
