export { DecisionColumns } from "./columns.js";
export { actionOf, type FirewallDecision, portOf, protocolOf } from "./decision.js";
export { findDecision } from "./find-decision.js";
export { readStructured } from "./key-value.js";
