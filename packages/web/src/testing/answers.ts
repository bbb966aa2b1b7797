import { IncidentJson } from "@halvik/contract/incidents";
import { NotifyRouteJson } from "@halvik/contract/notify";
import { RecordJson } from "@halvik/contract/records";
import { RuleList } from "@halvik/contract/rules";
import { SenderJson } from "@halvik/contract/senders";

/** Answers as the server gives them: held against the contract, so that a test cannot draw what never comes. */

const TIME = "2026-11-28T02:14:07.000000Z";

export const recordJson = (over: Partial<RecordJson> = {}): RecordJson =>
  RecordJson.parse({
    id: "1",
    sender: { id: 1, name: "vpn-1" },
    endpoint: "syslog over UDP",
    kind: "syslog",
    time: TIME,
    arrival: TIME,
    timeReason: "device",
    severity: "error",
    category: "logon",
    outcome: "failure",
    text: "refused",
    sentence: "",
    entities: [],
    ...over,
  });

export const incidentJson = (over: Partial<IncidentJson> = {}): IncidentJson =>
  IncidentJson.parse({
    id: 1,
    title: "46 refused logons from 203.0.113.9 on vpn-1",
    severity: "error",
    state: "open",
    stopped: false,
    rule: { id: "refused-logons", name: "Repeated refused logons", version: 1 },
    first: TIME,
    last: "2026-11-28T02:18:31.000000Z",
    raised: TIME,
    ended: null,
    count: 46,
    returned: 0,
    entities: [{ field: "src", value: "203.0.113.9" }],
    closeReason: null,
    assignedTo: null,
    shelved: null,
    mergedInto: null,
    acknowledged: null,
    newSinceSeen: [],
    linkedTo: null,
    explainedBy: null,
    folded: false,
    explains: { all: 0, lasting: 0 },
    urgency: { score: 55, parts: [["error", 40]] },
    needsAttention: true,
    sites: [],
    tags: [],
    techniques: [],
    kinds: [],
    moments: [],
    addedTechniques: [],
    ...over,
  });

export const senderJson = (over: Partial<SenderJson> = {}): SenderJson =>
  SenderJson.parse({
    id: 1,
    name: "vpn-1",
    state: "admitted",
    addresses: ["10.20.1.12"],
    relay: false,
    via: null,
    relayHost: null,
    site: "Orvane",
    groups: ["security"],
    role: null,
    tags: [],
    formerNames: [],
    formerAddresses: [],
    zone: "UTC",
    reachedThrough: null,
    expectedEverySeconds: null,
    keepDays: null,
    notes: "",
    firstSeen: TIME,
    lastHeard: TIME,
    records: 10,
    bytes: 1_000,
    problems: 0,
    late: 0,
    copies: 0,
    capped: 0,
    held: 0,
    heldRefused: 0,
    clockOffsetMs: 0,
    usualGapSeconds: 30,
    silentSince: null,
    ...over,
  });

export const routeJson = (over: Partial<NotifyRouteJson> = {}): NotifyRouteJson =>
  NotifyRouteJson.parse({
    id: 1,
    name: "duty",
    to: ["duty@orvane.example"],
    severity: "error",
    about: [],
    tags: [],
    rules: [],
    tells: ["raise", "clear"],
    delaySeconds: 300,
    mostPerHour: 30,
    enabled: true,
    author: "owner",
    changed: TIME,
    ...over,
  });

export const ruleLineJson = (over: Partial<RuleList["rules"][number]> = {}): RuleList["rules"][number] =>
  RuleList.parse({
    rules: [
      {
        id: "refused-logons",
        version: 1,
        name: "Repeated refused logons",
        kind: "count",
        enabled: true,
        listenOnly: false,
        severity: "warning",
        worstSeverity: "error",
        sentence: "",
        tags: [],
        owner: "",
        open: 0,
        raised: 0,
        lastRaised: null,
        failure: null,
        ...over,
      },
    ],
  }).rules[0]!;
