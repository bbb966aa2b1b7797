export { FIELD_TARGETS } from "./assign.js";
export { readTemplate } from "./line-form.js";
export { Form, FormatError, OwnFormat, WORDED } from "./own-format.js";
export { proposeForms } from "./propose.js";
export { isNear, readerOf } from "./read-form.js";
export { isRead, type Miss, type Reading, type Value } from "./reading.js";
export { applyFormats, type Formatted, type ReadyFormat, readyFormat } from "./ready-format.js";
export { type Marked, mark, marksOf, templateOf } from "./template.js";
export { VALUE_TYPES, type ValueType } from "./value-types.js";
