import * as z from "zod";

/** A technique of MITRE ATT&CK, or a part of one: T1048, T1070.001. */
const TECHNIQUE = /\bT\d{4}(?:\.\d{3})?\b/g;

/** One by its number, as somebody writes it. */
export const Technique = z
  .string()
  .trim()
  .toUpperCase()
  .regex(/^T\d{4}(\.\d{3})?$/, "expected a technique's number, such as T1078 or T1070.001");
export const Techniques = z.array(Technique).max(20);

/** The techniques that the references of rules name. */
export const techniquesIn = (references: readonly string[]): string[] =>
  [...new Set(references.flatMap((r) => r.match(TECHNIQUE) ?? []))].sort();

/** Those of an incident: what its rules name, and what people say it was. */
export const techniquesOf = (references: readonly string[], said: readonly string[]): string[] =>
  [...new Set([...techniquesIn(references), ...said])].sort();
