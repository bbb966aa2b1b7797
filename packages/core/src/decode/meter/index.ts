export { END_REASON, FlowMeter, type MeteredFlow, type MeterLimits } from "./flow-meter.js";
export { MeteredCapture } from "./metered-capture.js";
export { type PacketHeaders, readHeaders } from "./packet-headers.js";
export { IpfixWriter } from "./write-ipfix.js";
