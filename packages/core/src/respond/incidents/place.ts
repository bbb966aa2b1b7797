import { type EpochUs, US_PER_DAY } from "../../base/time/index.js";
import {
  consequencesOf,
  type Explanation,
  findCause,
  findJoint,
  type JoinableIncident,
  type JoinContext,
  type JoiningFinding,
} from "./joining.js";
import type { CloseReason, IncidentState } from "./life-cycle.js";
import type { Link } from "./links.js";

/** The facts placement asks of the latest incident of the same rule and key. */
export interface EarlierIncident {
  readonly id: number;
  readonly state: IncidentState;
  readonly closeReason: CloseReason | null;
  /** When it was cleared or closed; null while open. */
  readonly endedUs: EpochUs | null;
}

/** Where a finding goes, with the incidents it explains, and those whose evidence is all its own: they are the same happening. */
export type Place = (
  | { readonly to: "returned"; readonly incident: number }
  | {
      readonly to: "joined";
      readonly incident: number;
      readonly reason: string;
      /** What it shares with it, and what each weighs. */
      readonly links: readonly Link[];
      /** It was over when this came: it returns. */
      readonly returns: boolean;
      /** It stands under one that explains it, and this is nothing that one explains: it stands for itself from now on. */
      readonly unfolds: boolean;
      /** It is over now: it goes on. */
      readonly reopens: boolean;
    }
  | {
      readonly to: "new";
      /** The one before of the same rule and key. */
      readonly again: number | null;
      /** What explains it: it is that one's consequence. */
      readonly cause: Explanation | null;
    }
) & { readonly consequences: readonly Explanation[]; readonly covers: readonly number[] };

/** An incident of whose evidence a finding has so much says nothing of its own. */
const COVERED = 0.9;

/** Closed by a person as fixed and back within this time: it was not. */
const RETURNS_US = US_PER_DAY;

/**
 * Where a finding not yet in an incident goes (`docs/semantics.md` 25, 26): back into the one that a person closed as fixed within 24 h; into
 * one near in time that shares with it what is rare; under one that explains it; otherwise into a new one, linked to the one before.
 * @param incidents those near in time that no person has closed
 */
export function placeFinding(
  finding: JoiningFinding,
  earlier: EarlierIncident | null,
  incidents: readonly JoinableIncident[],
  context: JoinContext,
): Place {
  if (earlier !== null && hasReturned(earlier, finding.firstUs))
    return { to: "returned", incident: earlier.id, consequences: [], covers: [] };
  const consequences = consequencesOf(finding, incidents, context);
  const cause = findCause(finding, incidents, context);
  const others = incidents.filter(
    (i) => !consequences.some((c) => c.incident === i.id) && (cause === null || i.parent === cause.incident),
  );
  const joint = findJoint(finding, others, context);
  if (joint !== null) {
    const { incident, reason, links } = joint;
    const { endedUs, parent } = others.find((i) => i.id === incident)!;
    const returns = endedUs !== null && finding.firstUs > endedUs;
    const covers = others.filter((i) => i.id !== incident && i.covered >= COVERED).map((i) => i.id);
    return {
      to: "joined",
      incident,
      reason,
      links,
      returns,
      unfolds: cause === null && parent !== null,
      reopens: endedUs !== null,
      consequences,
      covers,
    };
  }
  return { to: "new", again: earlier?.id ?? null, cause, consequences, covers: [] };
}

const hasReturned = ({ state, closeReason, endedUs }: EarlierIncident, firstUs: EpochUs): boolean =>
  state === "closed" && closeReason === "fixed" && endedUs !== null && Math.abs(firstUs - endedUs) < RETURNS_US;
