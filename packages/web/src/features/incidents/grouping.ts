import type { IncidentJson } from "@halvik/contract/incidents";

/** What the queue can be grouped by. */
export const GROUPS = ["nothing", "site", "sender", "user", "src", "tag", "rule"] as const;
export type GroupBy = (typeof GROUPS)[number];

/** Incidents under what they share, in the order in which it first appears. */
export function grouped(
  incidents: readonly IncidentJson[],
  by: GroupBy,
): { readonly name: string; readonly incidents: IncidentJson[] }[] {
  const groups = new Map<string, IncidentJson[]>();
  for (const i of incidents) {
    const name = groupOf(i, by) ?? `no ${by}`;
    groups.set(name, [...(groups.get(name) ?? []), i]);
  }
  return [...groups].map(([name, own]) => ({ name, incidents: own }));
}

function groupOf(i: IncidentJson, by: GroupBy): string | undefined {
  switch (by) {
    case "nothing":
      return "";
    case "rule":
      return i.rule.name;
    case "site":
      return i.sites[0];
    case "tag":
      return i.tags[0];
    default:
      return i.entities.find((e) => e.field === by)?.value;
  }
}
