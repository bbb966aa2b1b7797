export { parseEvent, readEvents, type WindowsEvent } from "./event.js";
