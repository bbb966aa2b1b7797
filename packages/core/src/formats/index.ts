export { FIELD_TARGETS } from "./assign.js";
export { OwnFormat, WORDED } from "./own-format.js";
export { proposeForms } from "./propose.js";
export { readAnew, readsAlike } from "./read-anew.js";
export { applyFormats, type Formatted, type ReadyFormat, readyFormat } from "./ready-format.js";
export { type Marked, mark, marksOf, templateOf } from "./template.js";
