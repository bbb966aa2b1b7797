export { byHint, formatMibValue } from "./format-value.js";
export { MibError, type MibErrorCode, type MibProblem } from "./mib-error.js";
export type { MibModule } from "./module.js";
export { MibNames, type MibNode } from "./names.js";
export { parseMib } from "./parser.js";
