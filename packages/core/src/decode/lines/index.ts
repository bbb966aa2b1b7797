export { Form, FormatError, ValueName } from "./form.js";
export { endsOf, readLine, readTemplate } from "./line-form.js";
export { isNear, readerOf } from "./read-form.js";
export { isRead, type Miss, type Reading, readJson, readPairs, type Value } from "./reading.js";
export { usualType } from "./value-name.js";
export { isOfType, VALUE_TYPES, type ValueType } from "./value-types.js";
