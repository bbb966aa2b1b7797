import type { BulkAct } from "@halvik/contract/incidents";
import type { Queryable } from "../../kernel/db/pool.js";
import {
  type Before,
  heldForActs,
  type KeptAct,
  keepAct,
  restoreColumns,
  takeActBack,
  withdrawCloses,
} from "./bulk-repository.js";
import { acknowledge, assignIncident, closeIncident, shelveIncident } from "./repository.js";

/** How long the rules are not told of a closing of several: as long it can be taken back. */
export const CLOSE_GRACE_US = 20_000_000;

export interface BulkResult {
  readonly changed: number[];
  readonly refused: { readonly id: number; readonly why: string }[];
  readonly undo: number | null;
}

/** Does the same to several incidents, and keeps what they were before. @param untilUs of a shelving */
export async function actOnMany(
  client: Queryable,
  { ids, act }: BulkAct,
  untilUs: number | null,
  who: string,
  nowUs: number,
): Promise<BulkResult> {
  const rows = await heldForActs(client, ids);
  const known = new Map(rows.map((r) => [r.id, r]));
  const changed: Before[] = [];
  const refused: { id: number; why: string }[] = [];
  for (const id of new Set(ids)) {
    const before = known.get(id);
    if (!before || before.merged_into !== null) refused.push({ id, why: before ? "it was merged" : "there is none" });
    else if (await change(client, id, act, untilUs, who, nowUs)) changed.push(before);
    else refused.push({ id, why: "it is closed already" });
  }
  // what was written stays written
  if (changed.length === 0 || act.what === "note") return { changed: changed.map((c) => c.id), refused, undo: null };
  const undo = await keepAct(client, nowUs, who, { ...act, untilUs }, changed);
  return { changed: changed.map((c) => c.id), refused, undo };
}

function change(
  client: Queryable,
  id: number,
  act: BulkAct["act"],
  untilUs: number | null,
  who: string,
  nowUs: number,
): Promise<boolean> {
  switch (act.what) {
    case "acknowledge":
      return acknowledge(client, id, who, nowUs);
    case "note":
      return Promise.resolve(true);
    case "assign":
      return assignIncident(client, id, act.to || null);
    case "shelve":
      return shelveIncident(client, id, untilUs, who, act.why);
    case "close":
      return closeIncident(client, id, act.reason, nowUs, nowUs + CLOSE_GRACE_US);
  }
}

/**
 * Takes an act back, where nobody has done something else since. A closing can be taken back until the rules are told of it.
 * @returns null when there is no such act, or it was taken back before
 */
export async function undoAct(client: Queryable, undo: number): Promise<{ kept: KeptAct; result: BulkResult } | null> {
  const kept = await takeActBack(client, undo);
  if (!kept) return null;
  const changed: number[] = [];
  const refused: { id: number; why: string }[] = [];
  for (const before of kept.before) {
    const why = await restore(client, kept, before);
    if (why === null) changed.push(before.id);
    else refused.push({ id: before.id, why });
  }
  return { kept, result: { changed, refused, undo: null } };
}

/** @returns null when it is as it was before; or in words why it is not */
async function restore(client: Queryable, { act, at_us, who }: KeptAct, before: Before): Promise<string | null> {
  const put = async (columns: readonly string[], still: Readonly<Record<string, unknown>>) =>
    (await restoreColumns(client, before, columns, still)) ? null : "somebody has done something else since";
  switch (act.what) {
    case "acknowledge":
      return put(["acknowledged_by", "acknowledged_us", "seen", "new_since_seen"], {
        acknowledged_by: who,
        acknowledged_us: at_us,
      });
    case "note":
      return "a note stays";
    case "assign":
      return put(["owner"], { owner: act.to || null });
    case "shelve":
      return put(["shelved_until_us", "shelved_by", "shelved_why"], { shelved_until_us: act.untilUs, shelved_by: who });
    case "close":
      if (!(await withdrawCloses(client, before.id, at_us))) return "too late: the rules already know";
      return put(["state", "close_reason", "ended_us"], { state: "closed", ended_us: at_us });
  }
}
