export { fullInDays, growthAfter, type StoredStream, steadyBytes } from "./capacity.js";
export { DEVICE_KINDS } from "./device-kinds.js";
export { guessFamily } from "./guess-family.js";
export { type Likeness, looksLike, NOT_HEARD } from "./looks-like.js";
export { numbered } from "./numbering.js";
export { INTAKE_QUESTIONS } from "./questions.js";
