import type { RecordKind } from "../model/record/index.js";

/** Something a person wants to know, what has to send for it, and what to set there. */
export interface IntakeQuestion {
  readonly asks: string;
  /** Who has to send. */
  readonly from: string;
  /** What to set there. */
  readonly set: string;
  /** Kinds of record that answer it: what they cost is measured. */
  readonly kinds: readonly RecordKind[];
  /** What to know before all of it is switched on. */
  readonly beware: string;
  /** Records that answer it, in the words of the filter language. */
  readonly filter: string;
}

/** Where the plan of an intake begins: questions first, senders after (common practice, no source). */
export const INTAKE_QUESTIONS: readonly IntakeQuestion[] = [
  {
    asks: "Who fills a link?",
    from: "the router or switch at its end",
    set: "flow export (NetFlow 9 or IPFIX; sFlow where it is fast), active timeout 60 s, of every interface, where traffic comes in",
    kinds: ["flow"],
    beware: "a flow record for each conversation and minute; sampling makes figures estimates",
    filter: "kind is flow",
  },
  {
    asks: "Who was refused a logon, and who was let in?",
    from: "domain controllers, servers, VPN gateways",
    set: "Windows: Security log, audit of logons, success and failure; Linux: facilities auth and authpriv",
    kinds: ["windows", "syslog"],
    beware: "successful logons are ten times as many as refused ones; both are needed to see that a guess came true",
    filter: "category is logon",
  },
  {
    asks: "What does the firewall refuse?",
    from: "firewalls",
    set: "log of rules that deny or reject, to a syslog server",
    kinds: ["firewall"],
    beware: "at the edge to the internet it never rests: a rule of its own for known noise, not logged",
    filter: "action in deny, reject",
  },
  {
    asks: "Was this session let in, and by which policy?",
    from: "firewalls",
    set: "log of every rule, at the end of each session",
    kinds: ["firewall"],
    beware:
      "good for proving a new set of rules; for every day the flows and what is refused are less and say almost as much",
    filter: "action is accept",
  },
  {
    asks: "How long do DNS servers take to answer?",
    from: "a mirrored port, or the server itself",
    set: "packets: an endpoint of the kind “packets”, or bin/halvik sniff, filter “port 53”",
    kinds: ["packet"],
    beware: "a record for each question",
    filter: "app is dns and kind is packet",
  },
  {
    asks: "Whom does this one server talk to?",
    from: "the switch it is at, or itself",
    set: "flow export of its port; or packets of its own interface",
    kinds: ["flow", "packet"],
    beware: "",
    filter: "kind is flow",
  },
  {
    asks: "Is a link, a device or a power supply down?",
    from: "switches, routers, power supplies",
    set: "SNMP notifications (v3 where they can), and syslog from severity 5 up",
    kinds: ["snmp", "syslog"],
    beware: "notifications get lost where the link they report is the way: informs are sent again",
    filter: "category is link",
  },
  {
    asks: "Who changed an account or a configuration?",
    from: "domain controllers, firewalls, switches, Linux servers",
    set: "Windows: audit of account management; devices: log of configuration changes, severity 5",
    kinds: ["windows", "syslog"],
    beware: "few, and worth keeping for years",
    filter: "category in account, configuration",
  },
];
