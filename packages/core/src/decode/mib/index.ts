export { byHint, formatMibValue } from "./format-value.js";
export { MibError, type MibProblem } from "./mib-error.js";
export type { MibModule } from "./module.js";
export { MibNames } from "./names.js";
export { parseMib } from "./parser.js";
