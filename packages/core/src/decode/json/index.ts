export { flatten, type Leaf } from "./flatten.js";
export { JsonMapping, MAPPED_FIELDS, type MappedField, USUAL_MAPPING } from "./mapping.js";
export { parseExact } from "./parse-exact.js";
export { type JsonItem, JsonRecords } from "./split-records.js";
