export { DEVICES, type Device } from "./devices.js";
export { historyCapture } from "./history.js";
export { LiveDevices, type LiveTarget } from "./live.js";
export { roster } from "./roster.js";
export { minuteOf, type Sent, type TimelineOptions } from "./timeline.js";
