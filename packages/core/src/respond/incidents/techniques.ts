/** A technique of MITRE ATT&CK, or a part of one: T1048, T1070.001. */
const TECHNIQUE = /\bT\d{4}(?:\.\d{3})?\b/g;

/** The techniques that the references of rules name. */
export const techniquesIn = (references: readonly string[]): string[] =>
  [...new Set(references.flatMap((r) => r.match(TECHNIQUE) ?? []))].sort();
