export { bytesText, endText } from "./quantities.js";
export { sentenceOf } from "./sentence.js";
