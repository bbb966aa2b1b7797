export { type AttentionFacts, isUnjudged, needsAttention } from "./attention.js";
export { HISTORY_CODES, HISTORY_WORDS, type HistoryCode, historyWords } from "./history.js";
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
  newSinceSeen,
  type Placement,
  placeFinding,
  type SeenEvidence,
} from "./life-cycle.js";
export { byUrgency, type Urgency, type UrgencyFacts, urgencyOf } from "./urgency.js";
