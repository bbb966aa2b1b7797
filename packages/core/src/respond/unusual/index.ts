export { type Far, farAbove, firstSeen, LEAST_DAYS } from "./far.js";
export { type CountLook, type Look, looksOf, type Thing } from "./looks.js";
