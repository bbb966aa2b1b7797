import { MibError, type MibModule, parseMib } from "@halvik/core/decode/mib";
import { type Rule, tryRule } from "@halvik/core/detect";
import { namesWith } from "../names/mibs.js";
import { type RuleIssue, readRule } from "./rule-text.js";

/** What a rule that somebody wrote amounts to. */
export interface CheckedRule {
  readonly rule: Rule | null;
  readonly issues: readonly RuleIssue[];
  readonly tests: readonly TestOutcome[];
}

export interface TestOutcome {
  readonly name: string;
  readonly raises: number;
  readonly raised: number;
  readonly passes: boolean;
}

/** Reads a rule and runs its tests: how long that takes is the writer's doing. */
export function checkRule(text: string): CheckedRule {
  const { rule, issues } = readRule(text);
  if (rule === null) return { rule, issues, tests: [] };
  const tests = rule.tests.map((t) => {
    const { raised, passes } = tryRule(rule, t);
    return { name: t.name, raises: t.raises, raised, passes };
  });
  return { rule, issues, tests };
}

export type CheckedModule =
  | { readonly ok: true; readonly modules: readonly string[] }
  | { readonly ok: false; readonly message: string; readonly line: number; readonly column: number };

/** Reads the modules of a text and resolves their names, as everyone who uses them will have to. */
export function checkModule(source: string): CheckedModule {
  let modules: MibModule[];
  try {
    modules = parseMib(source);
  } catch (e) {
    if (!(e instanceof MibError)) throw e;
    return { ok: false, message: e.message, line: e.line, column: e.column };
  }
  const names = namesWith(modules);
  const own = new Set(modules.map((m) => m.name));
  const bound = names.problems.find((p) => p.code === "TOO_LARGE" && own.has(p.module));
  return bound === undefined
    ? { ok: true, modules: modules.map((m) => m.name) }
    : { ok: false, message: bound.message, line: bound.line, column: bound.column };
}
