import type { RuleInput } from "../rule.js";
import { notified, says } from "./samples.js";

const DOWN = "1.3.6.1.6.3.1.1.5.3";
const UP = "1.3.6.1.6.3.1.1.5.4";
const link = (outcome: "success" | "failure") => ({ category: "link", outcome, interface: "ge0/1" }) as const;
const uplink = (outcome: "success" | "failure") => ({ category: "link", outcome, interface: "te1/30" }) as const;
const LINK_LOST = "category is link and outcome is failure";
const LINK_BACK = "category is link and outcome is success";
const UPLINK =
  'interface like "te*" or interface like "xe*" or interface like "et*" or interface like "hu*" or interface like "ae*" or interface like "po*" or interface like "bond*" or interface like "*uplink*" or interface like "* to *"';
const UPLINK_LOST = `${LINK_LOST} and (${UPLINK})`;
const UPLINK_BACK = `${LINK_BACK} and (${UPLINK})`;
const ADJACENCY_LOST = 'category is routing and (outcome is failure or "to down" or "down:" or "state to down")';
const ADJACENCY_BACK = 'category is routing and (outcome is success or "to full" or "to established" or "is up")';

/** Links, neighbours, changes and clocks of network devices. */
export const NETWORK_RULES: readonly RuleInput[] = [
  {
    kind: "count",
    id: "interface-flapping",
    name: "An interface goes down again and again",
    filter: LINK_LOST,
    key: ["sender", "interface"],
    count: 4,
    windowSeconds: 600,
    severity: "warning",
    title: "{interface} of {sender} went down {count} times",
    entities: [],
    clear: { by: "quiet", seconds: 1_200 },
    reason: "Four falls within ten minutes are no maintenance.",
    notes: "A bad cable or optic, a failing neighbour, or a loop. Look at the other end.",
    tags: ["network"],
    references: ["RFC 2863, linkDown"],
    tests: [
      { name: "four times", raises: 1, records: [notified({ at: 0, times: 4, every: 60 }, DOWN, link("failure"))] },
      {
        name: "three times, each told by trap and syslog",
        raises: 0,
        records: [
          notified({ at: 0, times: 3, every: 60 }, DOWN, link("failure")),
          says({ at: 1, times: 3, every: 60 }, "<189>Interface ge0/1, changed state to down"),
        ],
      },
    ],
  },
  {
    kind: "sequence",
    id: "uplink-down",
    name: "An uplink went down and stayed down",
    key: ["sender", "interface"],
    steps: [
      { name: "it goes down", filter: UPLINK_LOST },
      { name: "it comes back", filter: UPLINK_BACK, absent: true, withinSeconds: 120 },
    ],
    windowSeconds: 600,
    severity: "error",
    title: "{interface} of {sender} is down",
    entities: [],
    clear: { by: "record", filter: UPLINK_BACK },
    reason:
      "Ports of computers go down every evening; what carries others does not. Uplinks are known by the usual names of fast and bundled ports, or by a description that says where they lead.",
    notes: "Is the neighbour up? Did somebody shut it by hand?",
    tags: ["network"],
    references: ["RFC 2863, linkDown and linkUp"],
    tests: [
      { name: "down for good", raises: 1, records: [notified(0, DOWN, uplink("failure"))] },
      {
        name: "back after a minute",
        raises: 0,
        records: [notified(0, DOWN, uplink("failure")), notified(60, UP, uplink("success"))],
      },
    ],
  },
  {
    kind: "count",
    id: "adjacency-lost",
    name: "A routing neighbour was lost",
    filter: ADJACENCY_LOST,
    key: ["sender"],
    count: 1,
    windowSeconds: 60,
    severity: "error",
    title: "{sender} lost a routing neighbour",
    entities: ["address"],
    clear: { by: "record", filter: ADJACENCY_BACK },
    explainedBy: ["uplink-down"],
    reason: "Traffic takes another way, or none.",
    notes: "Is the peer reachable? Look at the link between, and at what fell silent behind it.",
    tags: ["network", "routing"],
    references: ["RFC 4273", "RFC 4750"],
    tests: [
      { name: "by syslog", raises: 1, records: [says(0, "<188>ospf: adjacency with 10.0.0.3 went from full to down")] },
      {
        name: "by notification",
        raises: 1,
        records: [notified(0, "1.3.6.1.2.1.15.0.2", { category: "routing", outcome: "failure" })],
      },
      {
        name: "it comes up",
        raises: 0,
        records: [says(0, "<189>ospf: adjacency with 10.0.0.3 went from loading to full")],
      },
    ],
  },
  {
    kind: "sequence",
    id: "change-then-outage",
    name: "An outage right after a configuration change",
    key: ["sender"],
    steps: [
      { name: "the configuration changes", filter: "category is configuration and not kind is windows" },
      {
        name: "something fails",
        filter: `(${LINK_LOST}) or (${ADJACENCY_LOST}) or category is "system health" and severity at least error`,
        withinSeconds: 900,
      },
    ],
    windowSeconds: 1_800,
    severity: "error",
    title: "{sender} fails right after its configuration was changed",
    entities: ["user", "interface"],
    clear: { by: "quiet", seconds: 3_600 },
    reason: "The change is the first suspect, and the quickest to undo.",
    notes: "Undo the change or ask who made it.",
    tags: ["network", "change"],
    references: [],
    tests: [
      {
        name: "changed, then a link lost",
        raises: 1,
        records: [
          says(0, "<189>configuration changed by r.moe from 10.1.1.1"),
          says(200, "<187>Interface ge0/1, changed state to down"),
        ],
      },
      {
        name: "the failure came first",
        raises: 0,
        records: [
          says(0, "<187>Interface ge0/1, changed state to down"),
          says(200, "<189>configuration changed by r.moe from 10.1.1.1"),
        ],
      },
    ],
  },
  {
    kind: "count",
    id: "restarting",
    name: "A device restarts again and again",
    filter: "kind is snmp and event in 1.3.6.1.6.3.1.1.5.1, 1.3.6.1.6.3.1.1.5.2",
    key: ["sender"],
    count: 3,
    windowSeconds: 3_600,
    severity: "error",
    title: "{sender} restarted {count} times",
    entities: [],
    clear: { by: "quiet", seconds: 7_200 },
    reason: "Once is a power cut or an upgrade; three times within the hour is a fault.",
    notes: "Power, heat, memory, or a new software version?",
    tags: ["network", "health"],
    references: ["RFC 3418, coldStart and warmStart"],
    tests: [
      {
        name: "three times",
        raises: 1,
        records: [{ at: 0, times: 3, every: 600, fields: { kind: "snmp", event: "1.3.6.1.6.3.1.1.5.1" } }],
      },
      {
        name: "an upgrade",
        raises: 0,
        records: [{ at: 0, times: 2, every: 600, fields: { kind: "snmp", event: "1.3.6.1.6.3.1.1.5.1" } }],
      },
    ],
  },
  {
    kind: "count",
    id: "clock-jump",
    name: "A clock jumped",
    filter:
      'kind is syslog and app in ntpd, chronyd, ntp, timed, "systemd-timesyncd" and ("time stepped" or "clock step" or "System clock wrong by" or "time reset" or "clock was stepped")',
    key: ["sender"],
    count: 1,
    windowSeconds: 60,
    severity: "warning",
    title: "The clock of {sender} jumped",
    entities: [],
    clear: { by: "quiet", seconds: 3_600 },
    reason: "Clocks are slewed, not set, while they work. Times of this device around the jump are not to be trusted.",
    notes: "Compare with arrival times; look at its time server.",
    tags: ["time"],
    references: ["RFC 5905, section 12"],
    tests: [
      { name: "stepped", raises: 1, records: [says(0, "<30>chronyd[9]: System clock wrong by 3600.5 seconds")] },
      { name: "a source selected", raises: 0, records: [says(0, "<30>chronyd[9]: Selected source 10.1.1.1")] },
    ],
  },
  {
    kind: "count",
    id: "message-storm",
    name: "One program complains without end",
    filter: "kind is syslog and app present and severity at least warning and category is other",
    key: ["sender", "app"],
    count: 100,
    windowSeconds: 120,
    severity: "notice",
    title: "{app} on {sender} complains without end ({count})",
    entities: [],
    clear: { by: "quiet", seconds: 300 },
    reason: "A storm of one program hides everything else and fills the store.",
    notes: "Mend the cause, or keep the message out on arrival.",
    tags: ["storm"],
    references: [],
    tests: [
      {
        name: "one a second",
        raises: 1,
        records: [says({ at: 0, times: 200, every: 1 }, "<28>sensor: time server does not answer ({n})", "camera")],
      },
      {
        name: "one every three seconds",
        raises: 0,
        records: [says({ at: 0, times: 200, every: 3 }, "<28>sensor: time server does not answer ({n})", "camera")],
      },
    ],
  },
];
