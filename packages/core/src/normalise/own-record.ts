import type { EpochUs } from "../base/time/index.js";
import { type Category, emptyContent, type Outcome, type RecordContent, type Severity } from "../model/record/index.js";
import { fitContent } from "./fit.js";

/** What Halvik notices about itself and its senders (`docs/semantics.md` 27). Append only: rules name these. */
export const OWN_EVENTS = [
  "sender-silent",
  "sender-heard",
  "records-lost",
  "spool-in-use",
  "disk-low",
  "role-stopped",
  "role-back",
  "engine-behind",
  "sign-in-refused",
  "senders-capped",
  "segment-expired",
  "segment-shed",
  "flow-gaps",
  "not-listening",
  "batch-quarantined",
  "spool-damaged",
  "rule-failing",
  "clock-jumped",
  "database-restarted",
  "store-slow",
  "sender-new",
  "traffic-not-summed",
  "format-read-history",
  "bindings-not-learnt",
  "forward-failing",
] as const;
export type OwnEvent = (typeof OWN_EVENTS)[number];

export interface OwnObservation {
  readonly event: OwnEvent;
  readonly severity: Severity;
  readonly outcome: Outcome;
  readonly text: string;
  /** What it is about: a sender's name, a role, an endpoint. The key of the rules that watch. */
  readonly subject: string;
  readonly data?: readonly (readonly [string, string])[];
  readonly category?: Category;
}

const NO_BYTES = new Uint8Array();

/** An observation of Halvik's own as a record like any other: searchable, and rules raise incidents from it. */
export function ownRecord(o: OwnObservation, nowUs: EpochUs): RecordContent {
  const content = Object.assign(emptyContent("halvik", nowUs, nowUs), {
    timeReason: "device" as const,
    severity: o.severity,
    category: o.category ?? "system health",
    outcome: o.outcome,
    host: o.subject,
    app: "halvik",
    event: o.event,
    text: o.text,
    data: o.data ?? [],
  });
  // names of senders and reasons may hold what was received
  return fitContent(content, NO_BYTES);
}
