export { END_REASON, FlowMeter, type MeteredFlow } from "./flow-meter.js";
export { MeteredCapture } from "./metered-capture.js";
export { readHeaders } from "./packet-headers.js";
export { IpfixWriter } from "./write-ipfix.js";
