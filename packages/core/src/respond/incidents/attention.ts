import type { IncidentState } from "./life-cycle.js";

/** What decides whether an incident needs a person. */
export interface AttentionFacts {
  readonly state: IncidentState;
  /** Cleared because nothing came any more, not by anything that says it is over. */
  readonly stopped: boolean;
  /** It was merged into another one. */
  readonly merged: boolean;
  /** The incident that explains it stands for it. */
  readonly folded: boolean;
  /** Out of the queue now. */
  readonly shelved: boolean;
  readonly acknowledged: boolean;
  readonly newSinceSeen: boolean;
}

/**
 * The one answer to whether an incident belongs in the queue of what needs a person (`docs/semantics.md` 26): open, or stopped and not judged; not
 * merged; not folded under what explains it; not shelved now; and not acknowledged, or with something new since.
 */
export const needsAttention = (i: AttentionFacts): boolean =>
  isUnjudged(i) && !i.merged && !i.folded && !i.shelved && (!i.acknowledged || i.newSinceSeen);

/** Whether nobody and nothing has said yet that it is over. */
export const isUnjudged = ({ state, stopped }: Pick<AttentionFacts, "state" | "stopped">): boolean =>
  state === "open" || (state === "cleared" && stopped);
