export { bytesText, countText, endText } from "./quantities.js";
export { type SentenceContext, sentenceOf } from "./sentence.js";
