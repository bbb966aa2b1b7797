import { countForm } from "../kinds/count/form.js";
import { departureForm } from "../kinds/departure/form.js";
import { distinctForm } from "../kinds/distinct/form.js";
import { firstForm } from "../kinds/first/form.js";
import type { KindForm } from "../kinds/piece.js";
import { ratioForm } from "../kinds/ratio/form.js";
import type { RuleShape } from "../kinds/schemas.js";
import { sequenceForm } from "../kinds/sequence/form.js";
import { silenceForm } from "../kinds/silence/form.js";
import { togetherForm } from "../kinds/together/form.js";

export type RuleKindName = RuleShape["kind"];

/** What the editor knows of each kind: one that has a shape and is missing here does not compile. */
export const FORMS: { readonly [K in RuleKindName]: KindForm } = {
  count: countForm,
  distinct: distinctForm,
  sequence: sequenceForm,
  together: togetherForm,
  silence: silenceForm,
  first: firstForm,
  departure: departureForm,
  ratio: ratioForm,
};
/** What each kind is called; files keep the short word. */
export const KIND_NAMES: { readonly [K in RuleKindName]: string } = {
  count: "count",
  distinct: "distinct count",
  sequence: "sequence",
  together: "set",
  silence: "silence",
  first: "first seen",
  departure: "departure from baseline",
  ratio: "ratio",
};
/** The same of a kind that came as text. */
export const kindName = (kind: string): string => (isKind(kind) ? KIND_NAMES[kind] : kind);

export const RULE_KINDS = Object.keys(FORMS) as readonly RuleKindName[];
export function isKind(kind: unknown): kind is RuleKindName {
  return RULE_KINDS.some((k) => k === kind);
}
