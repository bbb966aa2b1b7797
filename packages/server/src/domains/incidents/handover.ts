import type { IncidentDetail } from "@halvik/contract/incidents";
import { plain } from "@halvik/core/base/text";
import { taskLine } from "./markdown.js";

const NOTES = 3;

/** What the next shift must know of incidents, the most urgent first, as Markdown: how each stands, who has it, what is still to do. */
export function handover(details: readonly IncidentDetail[], who: string, at: string): string {
  const out = [`# Hand-over, ${at}`, "", `Written by ${plain(who)}. ${sayCount(details.length)}`];
  const ranked = [...details].sort((a, b) => b.incident.urgency.score - a.incident.urgency.score);
  for (const detail of ranked) out.push("", ...section(detail));
  return `${out.join("\n")}\n`;
}

const sayCount = (n: number): string =>
  n === 0 ? "Nothing is open." : n === 1 ? "One incident." : `${n} incidents, the most urgent first.`;

function section({ incident: i, rules, history, tasks, similar }: IncidentDetail): string[] {
  const seen = i.acknowledged ? `acknowledged by ${plain(i.acknowledged.by)}` : "not acknowledged";
  const out = [
    `## ${plain(i.title)} (${i.severity}, incident ${i.id})`,
    "",
    `- ${i.state}${i.closeReason ? ` as ${i.closeReason}` : ""}; ${seen}; ${i.assignedTo ? `assigned to ${plain(i.assignedTo)}` : "not assigned"}${i.shelved ? `; shelved until ${i.shelved.until} by ${plain(i.shelved.by)}: ${plain(i.shelved.why)}` : ""}`,
    `- ${i.count} records from ${i.first} to ${i.last}; ${i.ended ? `over at ${i.ended}` : `quiet since ${i.last}`}${i.returned > 0 ? `; returned ${i.returned} times` : ""}`,
    `- why: ${rules.map((r) => plain(r.name)).join("; ")}`,
  ];
  if (i.newSinceSeen.length > 0) out.push(`- new since seen: ${plain(i.newSinceSeen.join(", "))}`);
  const open = tasks.filter((t) => t.done === null);
  if (open.length > 0) out.push("", "Still to do:", "", ...open.map(taskLine));
  const notes = history.filter((h) => h.detail !== "" && h.code === "note").slice(0, NOTES);
  if (notes.length > 0)
    out.push("", "Notes:", "", ...notes.map((n) => `- ${n.at} ${plain(n.who)}: ${plain(n.detail)}`));
  const ended = similar.find((s) => s.state === "closed");
  if (ended)
    out.push(
      "",
      `One like it (incident ${ended.id}) was closed as ${ended.closeReason}${ended.note ? `: ${plain(ended.note)}` : "."}`,
    );
  const next = rules.find((r) => r.notes !== "");
  if (i.state === "open" && next) out.push("", `What to look at next: ${plain(next.notes)}`);
  return out;
}
