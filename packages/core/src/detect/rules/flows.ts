import { PRIVATE_BLOCKS } from "../../base/net/index.js";
import type { RuleInput } from "../rule.js";
import { flow } from "./samples.js";

const OUTWARD = `kind is flow and src within ${PRIVATE_BLOCKS} and not dst within ${PRIVATE_BLOCKS}, 224.0.0.0/4, 255.255.255.255`;
const OUT = "MITRE ATT&CK T1048, Exfiltration Over Alternative Protocol";
const DAY = 86_400;

/** Amounts and rhythms of traffic. */
export const FLOW_RULES: readonly RuleInput[] = [
  {
    kind: "departure",
    id: "outbound-unusual",
    name: "A host sends out more than it ever does at this hour",
    filter: OUTWARD,
    key: ["src"],
    measure: { of: "sum", field: "bytes" },
    everySeconds: 3_600,
    judgement: { by: "baseline", side: "over", z: 6, least: 200e6 },
    severity: "warning",
    title: "{src} sent {value} bytes out within an hour; {usual} are usual",
    entities: ["dst"],
    clear: { by: "condition" },
    reason: "Every host is measured against itself: a backup at three is usual, the same at noon is not.",
    notes: "Where did it go, and who was logged on?",
    tags: ["traffic", "exfiltration"],
    references: [OUT, "Iglewicz and Hoaglin 1993, modified z-score"],
    tests: [
      {
        name: "ten times the usual",
        raises: 1,
        records: [
          flow({ at: 100, times: 8, every: DAY }, "10.1.1.7", "203.0.113.5", 443, 40e6),
          flow(8 * DAY + 100, "10.1.1.7", "203.0.113.5", 443, 400e6),
        ],
      },
      {
        name: "the usual backup",
        raises: 0,
        records: [flow({ at: 100, times: 9, every: DAY }, "10.1.1.7", "203.0.113.5", 443, 400e6)],
      },
    ],
  },
  {
    kind: "departure",
    id: "bulk-upload",
    name: "A very large amount sent out to one address",
    filter: OUTWARD,
    key: ["src", "dst"],
    measure: { of: "sum", field: "bytes" },
    everySeconds: 600,
    judgement: { by: "line", side: "over", raiseAt: 800e6, clearAt: 100e6 },
    severity: "warning",
    worse: [{ count: 50, severity: "error" }],
    title: "{src} sent {value} bytes to {dst} within 10 min",
    entities: ["sender"],
    clear: { by: "condition" },
    reason: "A line for the first days, before hosts are known by their own measure.",
    notes: "A backup? Otherwise: what lies on that host, and who took it?",
    tags: ["traffic", "exfiltration"],
    references: [OUT],
    tests: [
      {
        name: "a gigabyte within ten minutes",
        raises: 1,
        records: [flow({ at: 0, times: 6, every: 60 }, "10.1.1.7", "203.0.113.5", 443, 180e6)],
      },
      {
        name: "a gigabyte over an hour",
        raises: 0,
        records: [flow({ at: 0, times: 6, every: 600 }, "10.1.1.7", "203.0.113.5", 443, 180e6)],
      },
    ],
  },
  {
    kind: "departure",
    id: "beaconing",
    name: "A host calls out like a clock",
    filter: `${OUTWARD} and bytes under 20 kB and not dst port in 53, 123`,
    key: ["src", "dst", "dst port"],
    measure: { of: "spacing", least: 20 },
    everySeconds: 7_200,
    judgement: { by: "line", side: "under", raiseAt: 0.05, clearAt: 0.2 },
    severity: "notice",
    title: "{src} calls {dst} at regular intervals",
    entities: ["dst"],
    clear: { by: "quiet", seconds: 4 * 3_600 },
    reason:
      "People pause; programs wait for a timer. Updates and monitoring do so too: a low severity that joins what else is going on.",
    notes: "What runs there? Is the address known for anything?",
    tags: ["traffic", "command and control"],
    references: ["MITRE ATT&CK T1071, Application Layer Protocol"],
    tests: [
      {
        name: "every five minutes to the second",
        raises: 1,
        records: [flow({ at: 0, times: 24, every: 299 }, "10.1.1.7", "203.0.113.5", 443, 900)],
      },
      {
        name: "as people browse",
        raises: 0,
        records: [
          1, 40, 45, 300, 310, 900, 960, 1_500, 1_501, 1_620, 2_400, 2_500, 2_501, 3_300, 3_600, 3_610, 4_200, 4_900,
          5_000, 5_600, 6_000, 6_800,
        ].map((s) => flow(s, "10.1.1.7", "203.0.113.5", 443, 900)),
      },
    ],
  },
  {
    kind: "distinct",
    id: "flow-sweep",
    name: "A host talks to very many hosts inside",
    filter: `kind is flow and src within ${PRIVATE_BLOCKS} and dst within ${PRIVATE_BLOCKS} and packets under 4`,
    key: ["src", "dst port"],
    of: "dst",
    count: 60,
    windowSeconds: 300,
    severity: "warning",
    title: "{src} tries one host inside after another",
    entities: [],
    clear: { by: "quiet", seconds: 900 },
    reason: "Short conversations with sixty hosts on one port: somebody looks for the next one.",
    notes: "Management stations do this: name yours in a filter of your own.",
    tags: ["traffic", "scan"],
    references: ["MITRE ATT&CK T1018, Remote System Discovery"],
    tests: [
      {
        name: "sixty hosts",
        raises: 1,
        records: [flow({ at: 0, times: 60, every: 2 }, "10.1.1.7", "10.1.2.{n}", 445, 120)],
      },
      {
        name: "a file server and its users",
        raises: 0,
        records: [flow({ at: 0, times: 50, every: 2 }, "10.1.1.7", "10.1.2.{n}", 445, 120)],
      },
    ],
  },
  {
    kind: "departure",
    id: "flows-fell-away",
    name: "The traffic through a device falls away",
    filter: "kind is flow",
    key: ["sender"],
    measure: { of: "sum", field: "bytes" },
    everySeconds: 3_600,
    judgement: { by: "baseline", side: "under", z: 6, least: 50e6, part: 0.6 },
    severity: "warning",
    title: "The traffic through {sender} fell to {value} bytes within an hour; {usual} are usual",
    entities: ["sender"],
    clear: { by: "condition" },
    explainedBy: ["uplink-down", "adjacency-lost", "halvik-sender-silent"],
    reason: "A path that carries nothing at a time when it always does has failed, whether or not a port says so.",
    notes: "Is a port or neighbour of it down, or has the exporter stopped exporting?",
    tags: ["traffic", "network"],
    references: ["RFC 7011, flow export"],
    tests: [
      {
        name: "it stops after a week",
        raises: 1,
        records: [flow({ at: 0, times: 8 * 96, every: 900 }, "10.1.1.7", "10.2.1.7", 443, 90e6)],
      },
      {
        name: "a device that carries little stops",
        raises: 0,
        records: [flow({ at: 0, times: 8 * 96, every: 900 }, "10.1.1.7", "10.2.1.7", 443, 1e6)],
      },
    ],
  },
];
