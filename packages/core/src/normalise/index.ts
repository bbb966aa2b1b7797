export { type ChosenTime, chooseTime } from "./choose-time.js";
export { type FoundMeaning, findMeaning } from "./meaning.js";
export { OWN_EVENTS, type OwnEvent, type OwnObservation, ownRecord } from "./own-record.js";
export { type NormaliseContext, syslogRecord } from "./syslog-record.js";
