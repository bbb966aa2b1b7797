import type { Category, Outcome, Severity } from "../model/record/index.js";
import type { Meaning } from "./meaning.js";

type Row = readonly [
  oid: string,
  severity: Severity,
  category: Category,
  outcome: Outcome,
  sentence: string,
  next?: string,
];

const INTERFACE = "interface {interface}";
const STANDARD = "1.3.6.1.6.3.1.1.5";

/**
 * What standard notifications mean. They carry no severity: these are our choice, to be edited. Object identifiers from
 * RFC 3418, 2863, 4133, 4273, 4750, 1628, 2819, 4188 and 4445.
 */
const ROWS: readonly Row[] = [
  [
    `${STANDARD}.1`,
    4,
    "system health",
    "success",
    "{sender} started, and its configuration may have changed",
    "A power cut or a restart? Look at its uptime and its neighbours.",
  ],
  [
    `${STANDARD}.2`,
    5,
    "system health",
    "success",
    "{sender} started again with its configuration unchanged",
    "Who restarted it, or why?",
  ],
  [
    `${STANDARD}.3`,
    3,
    "link",
    "failure",
    `${INTERFACE} of {sender} went down`,
    "Is the neighbour up? Did someone shut it by hand (ifAdminStatus)?",
  ],
  [`${STANDARD}.4`, 5, "link", "success", `${INTERFACE} of {sender} came up`],
  [
    `${STANDARD}.5`,
    4,
    "logon",
    "failure",
    "Someone asked {sender} by SNMP with a wrong community or user",
    "Which address asked? A new management station, or a scan.",
  ],
  [`${STANDARD}.6`, 4, "routing", "failure", "{sender} lost an EGP neighbour"],
  ["1.3.6.1.2.1.15.7.1", 5, "routing", "success", "{sender} has a BGP session established[ with {bgpPeerRemoteAddr}]"],
  [
    "1.3.6.1.2.1.15.7.2",
    3,
    "routing",
    "failure",
    "{sender} lost a BGP session[ with {bgpPeerRemoteAddr}]",
    "Is the peer reachable? Look at the link between.",
  ],
  ["1.3.6.1.2.1.15.0.1", 5, "routing", "success", "{sender} has a BGP session established[ with {bgpPeerRemoteAddr}]"],
  [
    "1.3.6.1.2.1.15.0.2",
    3,
    "routing",
    "failure",
    "{sender} lost a BGP session[ with {bgpPeerRemoteAddr}]",
    "Is the peer reachable? Look at the link between.",
  ],
  ["1.3.6.1.2.1.14.16.2.1", 4, "routing", "unknown", "A virtual OSPF interface of {sender} changed state"],
  [
    "1.3.6.1.2.1.14.16.2.2",
    3,
    "routing",
    "unknown",
    "An OSPF neighbour of {sender} changed state[ to {ospfNbrState}]",
    "Is the neighbour reachable? Look at the link between.",
  ],
  ["1.3.6.1.2.1.14.16.2.16", 4, "routing", "unknown", "An OSPF interface of {sender} changed state[ to {ospfIfState}]"],
  [
    "1.3.6.1.2.1.33.2.1",
    3,
    "system health",
    "failure",
    "{sender} runs on battery[, {upsEstimatedMinutesRemaining} left]",
    "Is the mains back? What hangs on this supply?",
  ],
  ["1.3.6.1.2.1.33.2.2", 5, "system health", "success", "A battery test of {sender} ended"],
  ["1.3.6.1.2.1.33.2.3", 4, "system health", "failure", "{sender} raised an alarm[: {upsAlarmDescr}]"],
  ["1.3.6.1.2.1.33.2.4", 5, "system health", "success", "An alarm of {sender} is over[: {upsAlarmDescr}]"],
  ["1.3.6.1.2.1.47.2.0.1", 5, "configuration", "success", "The hardware of {sender} changed"],
  [
    "1.3.6.1.2.1.16.0.1",
    4,
    "system health",
    "failure",
    "A watched value of {sender} rose above its line[: {alarmValue}]",
  ],
  [
    "1.3.6.1.2.1.16.0.2",
    5,
    "system health",
    "success",
    "A watched value of {sender} fell below its line[: {alarmValue}]",
  ],
  ["1.3.6.1.2.1.17.0.1", 5, "link", "unknown", "{sender} became the root of a spanning tree"],
  ["1.3.6.1.2.1.17.0.2", 5, "link", "unknown", "The spanning tree at {sender} changed"],
];

export const SNMP_MEANINGS: ReadonlyMap<string, Meaning> = new Map(
  ROWS.map(([oid, severity, category, outcome, sentence, next]) => [
    oid,
    { severity, category, outcome, sentence, next: next ?? null },
  ]),
);
