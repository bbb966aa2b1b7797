export { readSigma, type SigmaOutcome } from "./read.js";
export { writeSigma } from "./write.js";
