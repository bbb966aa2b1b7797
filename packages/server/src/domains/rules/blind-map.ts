import type { BlindMap } from "@halvik/contract/rules";
import { formatUs, US_PER_DAY } from "@halvik/core/base/time";
import type { Rule } from "@halvik/core/detect";
import { techniquesIn } from "@halvik/core/respond/incidents";
import { BLIND_US, type RuleCoverage } from "./blindness.js";

/**
 * Techniques by the rules that would show them, each with what of it is not heard; rules that name none come last.
 * @param coverageOfRule how it stands with what a rule looks for
 */
export async function blindMap(
  rules: readonly Rule[],
  coverageOfRule: (rule: Rule) => Promise<RuleCoverage>,
  nowUs: number,
): Promise<BlindMap> {
  const techniques = new Map<string, BlindMap["techniques"][number]>();
  for (const rule of rules) {
    const heard = rule.enabled ? await coverageOfRule(rule) : { state: "off" as const, blind: [] };
    const line = {
      id: rule.id,
      name: rule.name,
      state: heard.state,
      blind: heard.blind.map((b) => ({ condition: b.condition, needs: [...b.needs] })),
    };
    const named = techniquesIn(rule.references);
    for (const technique of named.length === 0 ? [""] : named) {
      const known = techniques.get(technique);
      const name = nameOf(rule.references, technique);
      techniques.set(technique, { technique, name: known?.name || name, rules: [...(known?.rules ?? []), line] });
    }
  }
  const sorted = [...techniques.values()].sort((a, b) =>
    a.technique === "" ? 1 : b.technique === "" ? -1 : a.technique < b.technique ? -1 : 1,
  );
  return { at: formatUs(nowUs), days: BLIND_US / US_PER_DAY, techniques: sorted };
}

/** What stands after the number in a reference, as “MITRE ATT&CK T1110.003, Password Spraying”. */
function nameOf(references: readonly string[], technique: string): string {
  if (technique === "") return "";
  const found = references.find((r) => techniquesIn([r]).includes(technique));
  return found?.split(`${technique},`)[1]?.split(";")[0]?.trim() ?? "";
}
