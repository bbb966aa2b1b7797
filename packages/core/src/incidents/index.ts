export {
  consequencesOf,
  findJoint,
  type Joinable,
  type JoinableIncident,
  type JoinContext,
  type JoiningFinding,
  type Joint,
} from "./joining.js";
export {
  CLOSE_REASONS,
  type CloseReason,
  type EarlierIncident,
  INCIDENT_STATES,
  type IncidentState,
  needsAttention,
  newSinceSeen,
  type Placement,
  placeFinding,
  type SeenEvidence,
} from "./life-cycle.js";
export { type Urgency, type UrgencyFacts, urgencyOf } from "./urgency.js";
