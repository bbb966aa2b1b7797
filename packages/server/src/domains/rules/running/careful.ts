import { RuleFailure } from "@halvik/core/detect";
import { isOwnFault } from "../../../kernel/db/failure.js";
import { type Queryable, savepoint } from "../../../kernel/db/pool.js";
import { type Guard, TOGETHER } from "../../incidents/findings.js";

/** How long each finding is written by itself after a step was refused; it costs two more statements a finding. */
const CAREFUL_MS = 10 * 60_000;

/** A finding or rule that failed while the others went on. */
export interface Isolated {
  readonly ruleId: string;
  readonly reason: string;
  /** The rule does not run any more; else one of its findings is left out. */
  readonly stopped: boolean;
}

/**
 * Whether findings are written one by one. A step that the database refuses is undone whole; from then on every finding stands in a part of
 * the transaction of its own, so that the one which cannot be written is known, told and left out.
 */
export class Care {
  private untilMs = Number.NEGATIVE_INFINITY;
  /** Rules that stopped a session, to be told by the next. */
  readonly toReport: Isolated[] = [];

  get isCareful(): boolean {
    return performance.now() < this.untilMs;
  }

  beCareful(): void {
    this.untilMs = performance.now() + CAREFUL_MS;
  }

  /** @param onFailure told of each finding that is left out, within the transaction */
  guard(db: Queryable, onFailure: (ruleId: string, reason: string) => Promise<void>): Guard {
    if (!this.isCareful) return TOGETHER;
    const run: Guard["run"] = async (ruleId, work) => {
      let reason: string | null = null;
      await savepoint(db, work, (e) => {
        if (!isOwnFault(e)) return false;
        reason = e instanceof Error ? e.message : String(e);
        return true;
      });
      if (reason !== null) await onFailure(ruleId, reason);
    };
    return { isApart: true, run };
  }

  /** Work of one rule without which it cannot go on. */
  ruleGuard(db: Queryable): Guard {
    return this.guard(db, (ruleId, reason) => {
      throw new RuleFailure(ruleId, new Error(reason));
    });
  }
}
