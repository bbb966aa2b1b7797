import type { IncidentDetail } from "@halvik/contract/incidents";

export const ALL = "all";

/** A part of the evidence that is looked at by itself. */
export interface Part {
  readonly id: string;
  readonly label: string;
  /** null: of all. */
  readonly rule: string | null;
  readonly step: number | null;
}

/** What the evidence can be looked at by: all of it, each rule, and each step of a rule that has several. */
export function partsOf({ rules, findings }: Pick<IncidentDetail, "rules" | "findings">): Part[] {
  const seen = rules.filter((rule, i) => rules.findIndex((r) => r.id === rule.id) === i);
  return [
    { id: ALL, label: "all rules", rule: null, step: null },
    ...seen.flatMap((rule) => {
      const kept = findings.reduce((sum, f) => sum + (f.rule === rule.id ? f.kept : 0), 0);
      if (kept === 0) return [];
      const steps = rule.steps.map((step, i) => ({
        id: `${rule.id} ${i}`,
        label: `${rule.name}, ${i + 1}. ${step}`,
        rule: rule.id,
        step: i,
      }));
      const whole = { id: rule.id, label: `${rule.name}, ${kept.toLocaleString("en")}`, rule: rule.id, step: null };
      return [whole, ...steps];
    }),
  ];
}
