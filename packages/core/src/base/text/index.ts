export { fold, isLike } from "./fold.js";
export { ordinal } from "./ordinal.js";
