export { Form, FormatError, ValueName } from "./form.js";
export { endsOf, literalOf, readLine, readTemplate, type TemplatePart } from "./line-form.js";
export { isNear, readerOf } from "./read-form.js";
export { isRead, type Miss, type Reading, readJson, readPairs, type Value } from "./reading.js";
export { usualType } from "./value-name.js";
export { isOfType, VALUE_TYPES, type ValueType } from "./value-types.js";
