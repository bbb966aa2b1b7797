import { createHash } from "node:crypto";
import type { IncidentDetail } from "@halvik/contract/incidents";
import type { RecordJson } from "@halvik/contract/records";
import { fenced, plain } from "@halvik/core/base/text";
import { formatUs } from "@halvik/core/base/time";
import { storyOf } from "@halvik/core/respond/story";
import { taskLine } from "./markdown.js";

type FindingJson = IncidentDetail["findings"][number];

/** A record that is evidence, with the bytes it came as. */
export interface Exhibit {
  readonly record: RecordJson;
  readonly raw: Uint8Array;
  /** The step it met, where there are several. */
  readonly step: number | null;
}

/** All that is kept of what is evidence of a finding, in the order of time. */
export type ExhibitsOf = (finding: FindingJson) => AsyncIterable<Exhibit>;

/** An incident with the raw bytes of its evidence and their SHA-256, so that it can be checked without Halvik: JSON in parts. */
export async function* incidentAsJson(detail: IncidentDetail, exhibitsOf: ExhibitsOf): AsyncGenerator<string> {
  const { findings, ...rest } = detail;
  for (const [name, value] of Object.entries(rest))
    yield `${name === "incident" ? "{" : ","}\n"${name}": ${JSON.stringify(value, null, 1)}`;
  yield ',\n"findings": [';
  for (const [i, finding] of findings.entries()) {
    const { evidence: _, ...facts } = finding;
    yield `${i === 0 ? "" : ","}\n${JSON.stringify(facts, null, 1).slice(0, -2)},\n "evidence": [`;
    let between = "";
    for await (const { record, raw, step } of exhibitsOf(finding)) {
      const bytes = { base64: Buffer.from(raw).toString("base64"), bytes: raw.length, sha256: sha256(raw) };
      yield `${between}\n  ${JSON.stringify({ ...record, step, raw: bytes })}`;
      between = ",";
    }
    yield "]}";
  }
  yield "]}\n";
}

/** The same to be read by people: Markdown. What devices sent stands in code blocks that it cannot leave. */
export async function* incidentAsMarkdown(detail: IncidentDetail, exhibitsOf: ExhibitsOf): AsyncGenerator<string> {
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
    if (f.clearedWith !== null) out.push("", "Cleared by:", "", ...fenced([line(f.clearedWith)]));
    out.push("", "Evidence:", "");
    yield `${out.splice(0).join("\n")}\n`;
    let listed = 0;
    let lines: string[] = [];
    for await (const { record, raw } of exhibitsOf(f)) {
      lines.push(line(record), `  sha256 ${sha256(raw)}`, `  base64 ${Buffer.from(raw).toString("base64")}`);
      listed++;
      if (lines.length < LINES_AT_ONCE) continue;
      yield `${fenced(lines).join("\n")}\n`;
      lines = [];
    }
    out.push(...fenced(lines));
    if (f.count > listed) out.push("", `${f.count - listed} more were counted and are not kept with it.`);
  }
  if (detail.moreFindings > 0) out.push("", `${detail.moreFindings} older findings are not in this export.`);
  if (detail.tasks.length > 0) out.push("", "## Tasks", "", ...detail.tasks.map(taskLine));
  out.push("", "## History", "");
  for (const h of history)
    out.push(`- ${h.at} ${plain(h.who)}: ${plain(h.what)}${h.detail ? ` (${plain(h.detail)})` : ""}`);
  if (detail.moreHistory > 0) out.push("", `${detail.moreHistory} older lines are not in this export.`);
  yield `${out.join("\n")}\n`;
}

const LINES_AT_ONCE = 1_000;
const line = (r: RecordJson): string => `${r.time} ${r.sender.name} ${r.text || r.sentence}`;

const sha256 = (bytes: Uint8Array): string => createHash("sha256").update(bytes).digest("hex");
