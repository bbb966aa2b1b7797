export { fold, isLike } from "./fold.js";
