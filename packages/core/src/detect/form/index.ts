export { JUDGEMENTS } from "../kinds/departure/form.js";
export type { Act, Draft, Path, Piece } from "../kinds/piece.js";
export { completeRuleFile } from "./complete-file.js";
export { conditionsFrom, type RecordSeen } from "./conditions-from.js";
export { FORMS, KIND_NAMES, kindName, RULE_KINDS, type RuleKindName } from "./forms.js";
export { ruleIdOf, titleOf } from "./naming.js";
export { behaviour, sentence } from "./sentence.js";
