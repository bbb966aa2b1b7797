import { type EpochUs, US_PER_DAY } from "../../base/time/index.js";
import type { Severity } from "../../model/record/index.js";

/** `open`: needs attention or lasts; `cleared`: evidence says it is over; `closed`: a person said so. */
export const INCIDENT_STATES = ["open", "cleared", "closed"] as const;
export type IncidentState = (typeof INCIDENT_STATES)[number];

export const CLOSE_REASONS = ["fixed", "expected", "false", "duplicate"] as const;
export type CloseReason = (typeof CLOSE_REASONS)[number];

/** The facts placement asks of the latest incident of the same rule and key. */
export interface EarlierIncident {
  readonly id: number;
  readonly state: IncidentState;
  readonly closeReason: CloseReason | null;
  /** When it was cleared or closed; null while open. */
  readonly endedUs: EpochUs | null;
}

export type Placement =
  | { readonly to: "new"; readonly linkedTo: number | null }
  | { readonly to: "existing"; readonly incident: number; readonly returned: boolean };

/**
 * Where a finding not yet in an incident goes (`docs/semantics.md` 26): into the one still open; back into one that was cleared, or
 * closed as fixed, within 24 h (it returned); otherwise into a new one, linked to one closed as expected or false.
 */
export function placeFinding(earlier: EarlierIncident | null, firstUs: EpochUs): Placement {
  if (earlier === null) return { to: "new", linkedTo: null };
  if (earlier.state === "open") return { to: "existing", incident: earlier.id, returned: false };
  const recent =
    earlier.endedUs !== null && firstUs - earlier.endedUs < US_PER_DAY && firstUs >= earlier.endedUs - US_PER_DAY;
  const mayReturn = earlier.state === "cleared" || earlier.closeReason === "fixed";
  if (recent && mayReturn) return { to: "existing", incident: earlier.id, returned: true };
  return { to: "new", linkedTo: recent ? earlier.id : null };
}

/** What an acknowledgement covered. */
export interface SeenEvidence {
  readonly severity: Severity;
  readonly entities: readonly string[];
}

/** What is new since a person acknowledged: a worse severity or an entity not named before; repeats alone are not. */
export function newSinceSeen(seen: SeenEvidence, severity: Severity, entities: readonly string[]): string[] {
  const fresh: string[] = [];
  if (severity < seen.severity) fresh.push("severity");
  const known = new Set(seen.entities);
  fresh.push(...entities.filter((e) => !known.has(e)));
  return fresh;
}
