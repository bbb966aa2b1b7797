import type { RunningRule } from "./running-rule.js";

/**
 * A rule that threw: what it knows may be half changed, so the engine it ran in is not to be used any more. Whoever runs it makes a new
 * one without that rule.
 */
export class RuleFailure extends Error {
  constructor(
    readonly ruleId: string,
    cause: unknown,
  ) {
    super(cause instanceof Error ? cause.message : String(cause), { cause });
    this.name = "RuleFailure";
  }

  static of(running: RunningRule, cause: unknown): RuleFailure {
    return cause instanceof RuleFailure ? cause : new RuleFailure(running.program.rule.id, cause);
  }
}
