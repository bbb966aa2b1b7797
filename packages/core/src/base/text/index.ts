export { cutText, wholeUpTo } from "./cut.js";
export { fold, isLike } from "./fold.js";
export { LEADING_NUMBER_SQL, leadingNumber } from "./leading-number.js";
export { fenced, plain } from "./markdown.js";
export { ordinal } from "./ordinal.js";
export { shortNumber, thousands } from "./short-number.js";
export { splitRow } from "./split-row.js";
export { oneLine, storable } from "./written.js";
