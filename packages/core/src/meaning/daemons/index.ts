export { accountOfCommand } from "./account-of-command.js";
export { type FoundLine, findDaemonLine } from "./find-daemon-line.js";
