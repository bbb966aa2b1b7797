export { type FlowDatagram, FlowDecoder, type FlowProtocol, flowProtocol } from "./decode-flow.js";
export type { SavedDomain } from "./exporter.js";
export { emptyFlow, type FlowRecord, type InterfaceMeasure } from "./flow-record.js";
