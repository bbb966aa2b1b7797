import { type Severity, severityName } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";

/** A value as a filter names it. */
export function labelOf(field: string, value: string, senders: SenderDirectory): string {
  if (field === "sender") return senders.name(Number(value));
  // shared names stand for several: the identifier then
  if (field === "event") return senders.notifications.name(value) ?? value;
  return field === "severity" ? severityName(Number(value) as Severity) : value;
}
