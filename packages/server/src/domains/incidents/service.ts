import type { BulkAct, CloseIncident, SplitIncident } from "@halvik/contract/incidents";
import { formatUs } from "@halvik/core/base/time";
import { findingTitle, readKeptRule, severityOf } from "@halvik/core/detect";
import { entityCode } from "@halvik/core/model/entity";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { type CloseReason, type HistoryCode, historyWords } from "@halvik/core/respond/incidents";
import type * as z from "zod";
import type { Act } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { actOnMany, type BulkResult, undoAct } from "./bulk-acts.js";
import {
  acknowledge,
  assignIncident,
  closeIncident,
  FINDINGS_MOST,
  type FindingDetail,
  findIncident,
  findingsOf,
  linkIncident,
  mergeIncidents,
  ruleBodies,
  sayTechniques,
  shelveIncident,
  splitIncident,
} from "./repository.js";
import { addTask, markTask } from "./tasks-repository.js";

/** What people do to incidents: the change, what the history says of it, and the audit, as one unit of work. */

export const noIncident = (id: number): AppError => new AppError("NOT_FOUND", `there is no incident ${id}`);

async function mustBe(act: Act, id: number): Promise<void> {
  if (!(await findIncident(act.db, id))) throw noIncident(id);
}

export async function acknowledgeOne(act: Act, id: number, note: string): Promise<void> {
  if (!(await acknowledge(act.db, id, act.who, act.atUs))) throw noIncident(id);
  await act.tell(id, "acknowledged", note);
  await act.audit("incident acknowledged", { incident: id });
}

export async function noteOn(act: Act, id: number, note: string): Promise<void> {
  await mustBe(act, id);
  await act.tell(id, "note", note);
}

export async function closeOne(act: Act, id: number, { reason, note }: z.output<typeof CloseIncident>): Promise<void> {
  await mustBe(act, id);
  if (!(await closeIncident(act.db, id, reason, act.atUs)))
    throw new AppError("CONFLICT", `incident ${id} is closed already`);
  await act.tell(id, "closed", note, reason);
  await act.audit("incident closed", { incident: id, reason });
}

/** @param to nobody, when it is empty */
export async function assignOne(act: Act, id: number, to: string | null): Promise<void> {
  if (!(await assignIncident(act.db, id, to || null))) throw noIncident(id);
  await act.tell(id, "assigned", to || "nobody");
}

/** Says what techniques it was, besides those its rules name. */
export async function sayTechniquesOf(act: Act, id: number, techniques: readonly string[]): Promise<void> {
  const said = [...new Set(techniques)].sort();
  if (!(await sayTechniques(act.db, id, said))) throw noIncident(id);
  await act.tell(id, "techniques", said.join(", ") || "none");
}

/** @param untilUs null brings it back */
export async function shelveOne(act: Act, id: number, untilUs: number | null, why: string): Promise<void> {
  if (!(await shelveIncident(act.db, id, untilUs, act.who, why))) throw noIncident(id);
  if (untilUs === null) await act.tell(id, "unshelved");
  else await act.tell(id, "shelved", untilWhen(untilUs, why));
  await act.audit("incident shelved", { incident: id });
}

export async function addTaskTo(act: Act, id: number, text: string): Promise<void> {
  await mustBe(act, id);
  await addTask(act.db, id, text, act.who, act.atUs);
  await act.tell(id, "task-added", text);
}

export async function markTaskOf(act: Act, id: number, task: number, done: boolean): Promise<void> {
  const text = await markTask(act.db, id, task, done, act.who, act.atUs);
  if (text !== null) await act.tell(id, done ? "task-done" : "task-reopened", text);
}

export async function mergeOne(act: Act, id: number, into: number): Promise<void> {
  const [from, target] = [await findIncident(act.db, id), await findIncident(act.db, into)];
  if (!from) throw noIncident(id);
  if (!target) throw noIncident(into);
  if (id === into || from.merged_into !== null || target.merged_into !== null)
    throw new AppError("CONFLICT", `incident ${id} cannot be merged into ${into}`);
  await mergeIncidents(act.db, id, into, `merged by ${act.who} from incident ${id}`, true);
  await act.tell(id, "merged", `into incident ${into}`);
  await act.tell(into, "took-in", `incident ${id}: ${from.title}`);
  await act.audit("incidents merged", { incident: id, into });
}

/** @param to null takes the link away */
export async function linkOne(act: Act, id: number, to: number | null): Promise<void> {
  if (to === id) throw new AppError("CONFLICT", `incident ${id} cannot be linked to itself`);
  if (to !== null) await mustBe(act, to);
  if (!(await linkIncident(act.db, id, to))) throw noIncident(id);
  await act.tell(id, to === null ? "unlinked" : "linked", to === null ? "" : `to incident ${to}`);
  await act.audit("incident linked", { incident: id, to });
}

/** Takes a finding, or all that name something, out into an incident of their own. @returns that one */
export async function splitOut(
  act: Act,
  id: number,
  what: z.output<typeof SplitIncident>,
  senders: SenderDirectory,
): Promise<number> {
  const row = await findIncident(act.db, id);
  if (!row) throw noIncident(id);
  const findings = await findingsOf(act.db, id, FINDINGS_MOST);
  const out =
    "finding" in what ? findings.filter((f) => f.id === what.finding) : naming(findings, what.entity, senders);
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
  const said = "finding" in what ? `finding ${what.finding}` : `${what.entity.field} ${what.entity.value}`;
  if (!worst || out.length === findings.length)
    throw new AppError("CONFLICT", `${said} cannot be taken out of incident ${id}`);
  const ids = [worst.id, ...out.map((f) => f.id).filter((id) => id !== worst.id)];
  const own = await splitIncident(
    act.db,
    id,
    ids,
    {
      title: findingTitle(worst.rule, worst, senders),
      severity: worst.severity,
    },
    true,
  );
  if (own === null) throw new AppError("CONFLICT", `${said} is not there any more`);
  await act.tell(id, "split", `${said} was taken out: incident ${own}`);
  await act.tell(own, "split", `taken out of incident ${id}`);
  await act.audit("incident split", { incident: id, own });
  return own;
}

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

/** Does the same to several. @param untilUs of a shelving */
export async function actOnSeveral(act: Act, body: BulkAct, untilUs: number | null): Promise<BulkResult> {
  const result = await actOnMany(act.db, body, untilUs, act.who, act.atUs);
  for (const id of result.changed) await act.tell(id, ...saidOf(body.act, untilUs));
  await act.audit(`incidents: ${body.act.what}`, { incidents: result.changed });
  return result;
}

/** Takes back what was done to several, where nobody has done something else since. */
export async function takeBack(act: Act, undo: number): Promise<BulkResult> {
  const undone = await undoAct(act.db, undo);
  if (!undone) throw new AppError("NOT_FOUND", "there is nothing to take back (any more)");
  const [code, , reason] = saidOf(undone.kept.act, undone.kept.act.untilUs);
  for (const id of undone.result.changed) await act.tell(id, "undone", `“${historyWords(code, reason)}”`);
  await act.audit(`incidents: took back ${undone.kept.act.what}`, { incidents: undone.result.changed });
  return undone.result;
}

/** What an act is called in an incident's history. */
function saidOf(
  act: BulkAct["act"],
  untilUs: number | null,
): [code: HistoryCode, detail: string, reason: CloseReason | null] {
  switch (act.what) {
    case "acknowledge":
      // acts kept by earlier versions have none
      return ["acknowledged", act.note ?? "", null];
    case "note":
      return ["note", act.note, null];
    case "assign":
      return ["assigned", act.to || "nobody", null];
    case "shelve":
      return ["shelved", untilWhen(untilUs ?? 0, act.why), null];
    case "close":
      return ["closed", act.note, act.reason];
  }
}

const untilWhen = (untilUs: number, why: string): string => `until ${formatUs(untilUs)}${why ? `: ${why}` : ""}`;
