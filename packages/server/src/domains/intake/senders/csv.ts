import { SenderFacts } from "@halvik/contract/senders";
import { type Sender, SenderDirectory } from "@halvik/core/model/senders";
import { parse } from "csv-parse/sync";
import { stringify } from "csv-stringify/sync";

/** Columns of the sender list, in order. Lists within a cell are separated by spaces (addresses) or semicolons (groups, tags). */
const COLUMNS = [
  "name",
  "addresses",
  "relay",
  "site",
  "groups",
  "role",
  "tags",
  "zone",
  "reached through",
  "expected every seconds",
  "keep days",
  "notes",
] as const;

export function exportSenders(senders: readonly Sender[]): string {
  const directory = new SenderDirectory(senders);
  const rows = senders
    .filter((s) => s.state === "admitted" && s.viaRelay === null)
    .map((s) => [
      s.name,
      s.addresses.join(" "),
      s.relay ? "yes" : "no",
      s.site ?? "",
      s.groups.join("; "),
      s.role ?? "",
      s.tags.join("; "),
      s.zone,
      s.reachedThrough === null ? "" : directory.name(s.reachedThrough),
      s.expectedEverySeconds ?? "",
      s.keepDays ?? "",
      s.notes,
    ]);
  // a cell that a spreadsheet would run as a formula is quoted as text
  return stringify([[...COLUMNS], ...rows], { escape_formulas: true });
}

/** A list that cannot be read, with its line. */
export class SendersCsvError extends Error {
  readonly code = "BAD_SENDERS_CSV";
}

export function parseSenders(text: string): SenderFacts[] {
  let rows: Record<string, string>[];
  try {
    rows = parse(text, {
      columns: (names: string[]) => names.map((n) => n.trim().toLowerCase()),
      bom: true,
      skip_empty_lines: true,
      trim: true,
    });
  } catch (e) {
    throw new SendersCsvError(`senders: ${(e as Error).message}`);
  }
  return rows.map((row, i) => {
    const unknown = Object.keys(row).find((name) => !(COLUMNS as readonly string[]).includes(name));
    if (unknown !== undefined)
      throw new SendersCsvError(`senders line 1: expected the columns ${COLUMNS.join(", ")}; got "${unknown}"`);
    const plain = (name: (typeof COLUMNS)[number]) => (row[name] ?? "").replace(/^'(?=[=+\-@])/, "");
    const several = (name: (typeof COLUMNS)[number]) =>
      plain(name)
        .split(";")
        .map((part) => part.trim())
        .filter(Boolean);
    const numberOrNull = (text: string) => (text === "" ? null : Number(text));
    const result = SenderFacts.safeParse({
      name: plain("name"),
      addresses: plain("addresses")
        .split(/[\s,;]+/)
        .filter(Boolean),
      relay: /^(yes|true|1)$/i.test(plain("relay")),
      site: plain("site") || null,
      groups: several("groups"),
      role: plain("role") || null,
      tags: several("tags"),
      zone: plain("zone") || "UTC",
      reachedThrough: plain("reached through") || null,
      expectedEverySeconds: numberOrNull(plain("expected every seconds")),
      keepDays: numberOrNull(plain("keep days")),
      notes: plain("notes"),
    });
    if (!result.success) {
      const issue = result.error.issues[0]!;
      throw new SendersCsvError(`senders line ${i + 2}, ${issue.path.join(".")}: ${issue.message}`);
    }
    return result.data;
  });
}
