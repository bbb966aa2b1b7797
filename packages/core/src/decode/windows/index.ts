export { type CutEvent, EventCutter } from "./cut-events.js";
export { parseEvent, readEvents, type WindowsEvent } from "./event.js";
export { eventIdentity } from "./identity.js";
