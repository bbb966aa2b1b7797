import type { IncidentJson } from "@halvik/contract/incidents";
import { SEVERITIES } from "@halvik/core/model/record";

/** By what the queue can be narrowed, beside its words: each is one value, or none. */
export const NARROWED_BY = ["severity", "assigned to", "site", "rule", "kind", "technique", "tag"] as const;
export type NarrowedBy = (typeof NARROWED_BY)[number];
export type Narrowing = Readonly<Partial<Record<NarrowedBy, string>>>;

export const NOBODY = "nobody";

function valuesOf(i: IncidentJson, by: NarrowedBy): readonly string[] {
  switch (by) {
    case "severity":
      // "error" stands for error or worse
      return SEVERITIES.slice(SEVERITIES.indexOf(i.severity as (typeof SEVERITIES)[number]));
    case "assigned to":
      return [i.assignedTo ?? NOBODY];
    case "site":
      return i.sites;
    case "rule":
      return [i.rule.name];
    case "kind":
      return i.kinds;
    case "technique":
      return i.techniques;
    case "tag":
      return i.tags;
  }
}

/** Those that are all of it, and hold all the words. */
export function narrowed(incidents: readonly IncidentJson[], by: Narrowing, words: string): IncidentJson[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  return incidents.filter((i) => {
    const text =
      `${i.id} ${i.title} ${i.rule.name} ${i.assignedTo ?? ""} ${i.entities.map((e) => e.value).join(" ")}`.toLowerCase();
    return (
      wanted.every((w) => text.includes(w)) &&
      NARROWED_BY.every((name) => by[name] === undefined || valuesOf(i, name).includes(by[name]))
    );
  });
}

/** What each can be narrowed to: the values of those that are there, severities by their order. */
export function choicesOf(incidents: readonly IncidentJson[], by: NarrowedBy): string[] {
  if (by === "severity") return SEVERITIES.filter((s) => incidents.some((i) => i.severity === s));
  return [...new Set(incidents.flatMap((i) => valuesOf(i, by)))].sort((a, b) => a.localeCompare(b));
}
