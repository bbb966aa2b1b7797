export { fullInDays, growthAfter, type StoredStream, steadyBytes } from "./capacity.js";
export { DEVICE_KINDS, type DeviceKind } from "./device-kinds.js";
export { type Guess, guessFamily } from "./guess-family.js";
export { type Likeness, looksLike, NOT_HEARD } from "./looks-like.js";
export { type Numbered, numbered } from "./numbering.js";
export { INTAKE_QUESTIONS, type IntakeQuestion } from "./questions.js";
