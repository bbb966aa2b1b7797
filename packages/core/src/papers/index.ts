export {
  CONFIDENCES,
  Entry,
  HYPOTHESIS_STATES,
  linkPins,
} from "./entry.js";
export { type HandOverBlock, handOver, handOverMarkdown } from "./hand-over.js";
export {
  momentOf,
  type PaperInWords,
  type PinInWords,
  type RecordInWords,
  sayCount,
  sayLead,
  sayPin,
} from "./in-words.js";
export { iodefOf } from "./iodef.js";
export { LEADS, type LeadingRecord, leadsOf } from "./leads.js";
export {
  LANE_KINDS,
  Lane,
  MOST_BYTES,
  MOST_BYTES_OF_ALL,
  MOST_ENTRIES,
  MOST_FILE_BYTES,
  MOST_LINKS,
  MOST_PINS,
  PAPER_RIGHTS,
  PAPER_STATES,
  PaperFacts,
  type PaperRight,
  type PaperState,
} from "./paper.js";
export { Chart, MOST_DIFFERENCES, Pinnable, Pinned, Reason, windowOfPin } from "./pin.js";
export {
  ASKED_OF_NAMES,
  type AskedOf,
  askedFilter,
  LONGEST_VALUE,
  QuestionSet,
  READY_QUESTIONS,
} from "./question-set.js";
export { stixOf } from "./stix.js";
