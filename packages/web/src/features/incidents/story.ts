import type { IncidentDetail } from "@halvik/contract";
import { formatDuration } from "@halvik/core/base/time";
import { usOf } from "../../data/view-store";
import { lineText } from "../../shared/record-text";

export interface Sentence {
  readonly us: number;
  readonly text: string;
}

const MOST = 3;

/** What happened, in plain sentences made from the evidence; oldest first. */
export function tellStory({ incident, findings }: IncidentDetail): Sentence[] {
  const out: Sentence[] = [];
  for (const f of [...findings].reverse()) {
    const first = f.evidence[f.evidence.length - 1];
    const about = incident.entities.filter((e) => e.field !== "sender").map((e) => e.value);
    if (first) out.push({ us: usOf(f.first), text: `It began on ${first.sender.name}: “${lineText(first)}”` });
    if (f.count > 1)
      out.push({
        us: usOf(f.raised),
        text: `Raised: ${f.count.toLocaleString("en")} records in ${formatDuration(usOf(f.last) - usOf(f.first))}${about.length > 0 ? `, about ${list(about)}` : ""}.`,
      });
    if (f.cleared !== null)
      out.push({
        us: usOf(f.cleared),
        text:
          f.clearedBy === "quiet"
            ? `Stopped: nothing more for ${formatDuration(usOf(f.cleared) - usOf(f.last))}. Nobody has judged it yet.`
            : f.clearedBy === "record"
              ? "Cleared by a record."
              : f.clearedBy === "condition"
                ? "Cleared: the value is back to usual."
                : "Closed by a person.",
      });
  }
  return out;
}

function list(values: readonly string[]): string {
  const unique = [...new Set(values)];
  const shown = unique.slice(0, MOST).join(", ");
  return unique.length > MOST ? `${shown} and ${unique.length - MOST} more` : shown;
}
