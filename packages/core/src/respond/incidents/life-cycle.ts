/** `open`: needs attention or lasts; `cleared`: evidence says it is over; `closed`: a person said so. */
export const INCIDENT_STATES = ["open", "cleared", "closed"] as const;
export type IncidentState = (typeof INCIDENT_STATES)[number];

export const CLOSE_REASONS = ["fixed", "expected", "false", "duplicate"] as const;
export type CloseReason = (typeof CLOSE_REASONS)[number];
