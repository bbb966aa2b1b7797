export { DAEMON_LINES, type FoundLine, findDaemonLine } from "./find-daemon-line.js";
