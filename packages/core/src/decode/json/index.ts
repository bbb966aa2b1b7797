export { flatten } from "./flatten.js";
export { JsonMapping, LEVELS_IN_TENS, MAPPED_FIELDS, type MappedField, USUAL_NAMES } from "./mapping.js";
export { parseExact } from "./parse-exact.js";
export { type JsonItem, JsonRecords } from "./split-records.js";
