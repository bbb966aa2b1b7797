export { BOUNDED, DIMENSIONS, type Dimension, readApplication } from "./dimensions.js";
export { type BothWays, HostFlows, type HostTraffic } from "./host-flows.js";
export { type MarkingChange, MarkingChanges } from "./markings.js";
export { type FlowSeen, NO_INTERFACE, passagesOf } from "./passage.js";
export { PolicyCheck } from "./policy-check.js";
export { filterOf, type Said, sayValue } from "./say-value.js";
export {
  ANSWER_CLASSES,
  ANSWERED_SERVICES,
  ServerAnswers,
  type ServiceAnswers,
  serverAnswer,
  TELLS_ANSWER,
} from "./server-answers.js";
export { NO_SITES, type Sites, type SitesKnown, sitesOf } from "./sites.js";
export { eachStep, stretchOf } from "./spread.js";
export {
  type Amounts,
  boundValues,
  CUT,
  mergeValues,
  type Stepped,
  StepSums,
  type TrafficRow,
  WAYS,
  type Way,
} from "./step-sums.js";
export { LEVELS, type Level, TrafficSums } from "./sums.js";
