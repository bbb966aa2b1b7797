import type { Actor } from "../../kernel/actor.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import { findPaper, type KeptPaper } from "./repository.js";

/** Whether somebody may change a paper: a person of it, with an account that may change anything at all. */
export const mayWrite = (paper: Pick<KeptPaper, "may">, actor: Actor): boolean =>
  paper.may === "write" && actor.may === "act";

/** A paper that somebody may read. @throws {AppError} where there is none, or it is none of theirs: nobody is told which */
export async function readable(db: Queryable, id: number, actor: Actor): Promise<KeptPaper> {
  const paper = await findPaper(db, id, actor.name);
  if (paper === null) throw new AppError("NOT_FOUND", `there is no investigation ${id} that you may read`);
  return paper;
}

/** A paper that somebody may change. @param closed whether one that is closed may be, too */
export async function writable(db: Queryable, id: number, actor: Actor, closed = false): Promise<KeptPaper> {
  const paper = await readable(db, id, actor);
  if (!mayWrite(paper, actor)) throw new AppError("NOT_ALLOWED", "you may read this investigation, not change it");
  if (paper.facts.state === "closed" && !closed)
    throw new AppError("CONFLICT", "this investigation is closed: open it again to change what is in it");
  return paper;
}
