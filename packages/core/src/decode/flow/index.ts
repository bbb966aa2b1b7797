export {
  FlowDecoder,
  type FlowWaiting,
  flowProtocol,
  readStream,
} from "./decode-flow.js";
export { elementName } from "./element-names.js";
export type { SavedDomain } from "./exporter.js";
export { emptyFlow, type FlowRecord, type InterfaceMeasure } from "./flow-record.js";
export { VARIABLE } from "./template.js";
export type { SavedUses } from "./template-use.js";
