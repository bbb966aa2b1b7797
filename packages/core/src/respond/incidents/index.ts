export { type AttentionFacts, isUnjudged, needsAttention } from "./attention.js";
export { HISTORY_CODES, type HistoryCode, historyWords } from "./history.js";
export {
  apart,
  type Explanation,
  type JoinableIncident,
  type JoinContext,
  type JoiningFinding,
  linksBetween,
  thingsToCount,
  troubleOf,
} from "./joining.js";
export { CLOSE_REASONS, type CloseReason, INCIDENT_STATES, type IncidentState } from "./life-cycle.js";
export { COUNTED, type Heard, type Link, NEAR_US, UNCOUNTED } from "./links.js";
export { newSinceSeen, type SeenEvidence } from "./news.js";
export { placeFinding } from "./place.js";
export { Technique, Techniques, techniquesIn, techniquesOf } from "./techniques.js";
export { Things } from "./things.js";
export { byUrgency, type Urgency, type UrgencyFacts, urgencyOf } from "./urgency.js";
