import { count } from "./count/kind.js";
import { departure } from "./departure/kind.js";
import { distinct } from "./distinct/kind.js";
import { first } from "./first/kind.js";
import type { RuleKind } from "./kind.js";
import { ratio } from "./ratio/kind.js";
import type { RuleShape } from "./schemas.js";
import { sequence } from "./sequence/kind.js";
import { silence } from "./silence/kind.js";
import { together } from "./together/kind.js";

/** Every kind of rule: one that has a shape and is missing here does not compile. */
const KINDS: { readonly [K in RuleShape["kind"]]: RuleKind<Extract<RuleShape, { kind: K }>> } = {
  count,
  distinct,
  sequence,
  together,
  silence,
  first,
  departure,
  ratio,
};

/** The kind of a rule, for that rule. */
export const kindOf = <R extends RuleShape>(rule: R): RuleKind<R> => KINDS[rule.kind] as unknown as RuleKind<R>;

/** Whether, of what a finding's records name, only the last stands in its title. */
export const namesLast = (kind: RuleShape["kind"]): boolean => KINDS[kind].namesLast;
