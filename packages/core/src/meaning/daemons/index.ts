export { type FoundLine, findDaemonLine } from "./find-daemon-line.js";
