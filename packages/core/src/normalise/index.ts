export { type ChosenTime, chooseTime } from "./choose-time.js";
export { columnsRecord } from "./firewall-record.js";
export { flowRecord } from "./flow-record.js";
export { type JsonContext, jsonRecord } from "./json-record.js";
export { type FoundMeaning, findMeaning } from "./meaning.js";
export { OWN_EVENTS, type OwnEvent, type OwnObservation, ownRecord } from "./own-record.js";
export { type SnmpContext, snmpRecord, unreadable, valueText } from "./snmp-record.js";
export { type NormaliseContext, syslogRecord } from "./syslog-record.js";
export { type WindowsContext, windowsRecord } from "./windows-record.js";
