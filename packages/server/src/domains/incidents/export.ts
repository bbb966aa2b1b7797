import { createHash } from "node:crypto";
import type { IncidentDetail } from "@halvik/contract";
import { formatUs } from "@halvik/core/base/time";
import { storyOf } from "@halvik/core/respond/story";
import { fenced, plain, taskLine } from "./markdown.js";

/** The bytes of a record as they arrived. */
export type RawOf = (recordId: string) => Promise<Uint8Array | null>;

/** An incident with the raw bytes of its evidence and their SHA-256, so that it can be checked without Halvik. */
export async function incidentAsJson(detail: IncidentDetail, rawOf: RawOf): Promise<string> {
  const findings = [];
  for (const f of detail.findings) {
    const evidence = [];
    for (const record of f.evidence) {
      const raw = await rawOf(record.id);
      evidence.push({
        ...record,
        raw: raw && { base64: Buffer.from(raw).toString("base64"), bytes: raw.length, sha256: sha256(raw) },
      });
    }
    findings.push({ ...f, evidence });
  }
  return `${JSON.stringify({ ...detail, findings }, null, 2)}\n`;
}

/** The same to be read by people: Markdown. What devices sent stands in code blocks that it cannot leave. */
export async function incidentAsMarkdown(detail: IncidentDetail, rawOf: RawOf): Promise<string> {
  const { incident: i, rules, findings, history } = detail;
  const out = [
    `# Incident ${i.id}: ${plain(i.title)}`,
    "",
    `- severity: ${i.severity}; state: ${i.state}${i.closeReason ? ` as ${i.closeReason}` : ""}`,
    `- from ${i.first} to ${i.last}, ${i.count} records${i.returned > 0 ? `, returned ${i.returned} times` : ""}`,
    `- ${i.acknowledged ? `seen by ${plain(i.acknowledged.by)} at ${i.acknowledged.at}` : "not seen yet"}${i.assignedTo ? `; assigned to ${plain(i.assignedTo)}` : ""}`,
    ...[...new Set(i.entities.map((e) => e.field))].map(
      (field) =>
        `- ${field}: ${i.entities
          .filter((e) => e.field === field)
          .map((e) => plain(e.value))
          .join(", ")}`,
    ),
    "",
    "## What happened",
    "",
    ...storyOf(detail, formatUs).map((p) => `- ${formatUs(p.us)} ${plain(p.text)}`),
    "",
    "## Why",
  ];
  for (const f of findings) {
    const rule = rules.find((r) => r.id === f.rule);
    out.push("", `### ${plain(rule?.name ?? f.rule)}, version ${rule?.version ?? "?"}`, "");
    if (f.joined) out.push(`It belongs here: ${plain(f.joined)}.`, "");
    out.push(
      plain(rule?.sentence ?? ""),
      "",
      `Raised ${f.raised}; ${f.count} records from ${f.first} to ${f.last}; ${f.cleared === null ? "still open" : `cleared ${f.cleared} by ${f.clearedBy}`}.`,
    );
    if (f.facts.length > 0) out.push("", f.facts.map(([name, value]) => `${name} ${value}`).join("; "));
    const lines: string[] = [];
    for (const r of f.evidence) {
      const raw = await rawOf(r.id);
      lines.push(`${r.time} ${r.sender.name} ${r.text || r.sentence}`);
      if (raw) lines.push(`  sha256 ${sha256(raw)}`);
    }
    out.push("", ...fenced(lines));
    if (f.notShown > 0) out.push("", `${f.notShown} more were counted and are not listed.`);
  }
  if (detail.tasks.length > 0) out.push("", "## Tasks", "", ...detail.tasks.map(taskLine));
  out.push("", "## History", "");
  for (const h of history)
    out.push(`- ${h.at} ${plain(h.who)}: ${plain(h.what)}${h.detail ? ` (${plain(h.detail)})` : ""}`);
  return `${out.join("\n")}\n`;
}

const sha256 = (bytes: Uint8Array): string => createHash("sha256").update(bytes).digest("hex");
