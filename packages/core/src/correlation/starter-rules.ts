import type { Rule } from "./rule.js";

const FIVE_MINUTES = 300;

/**
 * The rules every new Halvik starts with. The first two watch devices; the others watch Halvik's own ears (`semantics.md` 27):
 * it says what it notices as records of kind "halvik", and these turn them into incidents. All can be changed.
 */
export const STARTER_RULES: readonly Rule[] = [
  {
    kind: "count",
    id: "refused-logons",
    name: "Repeated refused logons from one address",
    enabled: true,
    filter: "category is logon and outcome is failure",
    key: ["src"],
    count: 10,
    windowSeconds: FIVE_MINUTES,
    severity: "error",
    title: "{count} refused logons from {src} on {sender}",
    entities: ["user", "sender"],
    clear: { by: "quiet", seconds: 900 },
    notes: "Look at which users were tried, and whether one of them was let in afterwards.",
  },
  {
    kind: "count",
    id: "interface-flapping",
    name: "A device restarts its interface again and again",
    enabled: true,
    filter: "category is link and outcome is failure",
    key: ["sender", "interface"],
    count: 4,
    windowSeconds: 600,
    severity: "warning",
    title: "{interface} of {sender} went down {count} times",
    entities: [],
    clear: { by: "quiet", seconds: 1200 },
    notes: "A bad cable or optic, a failing neighbour, or a loop. Look at the other end.",
  },
  own("halvik-sender-silent", "A sender fell silent", "sender-silent", "warning", "{host} has fallen silent", {
    by: "record",
    filter: "kind is halvik and event is sender-heard",
  }),
  own("halvik-records-lost", "Records were lost", "records-lost", "error", "Records lost at {host}", {
    by: "quiet",
    seconds: FIVE_MINUTES,
  }),
  own(
    "halvik-spool",
    "The store is away",
    "spool-in-use",
    "error",
    "{host} keeps records on its own disk: the store does not answer",
    { by: "quiet", seconds: 120 },
  ),
  own("halvik-disk", "The disk is filling up", "disk-low", "error", "Little disk space left for {host}", {
    by: "quiet",
    seconds: FIVE_MINUTES,
  }),
  own("halvik-role", "A role stopped", "role-stopped", "critical", "The role {host} has stopped", {
    by: "record",
    filter: "kind is halvik and event is role-back",
  }),
  own("halvik-engine-behind", "The engine is behind", "engine-behind", "warning", "Rules run late: {host} is behind", {
    by: "quiet",
    seconds: 180,
  }),
  own(
    "halvik-capped",
    "A sender is over its rate",
    "senders-capped",
    "warning",
    "{host} sends more than its cap lets through",
    { by: "quiet", seconds: FIVE_MINUTES },
  ),
  {
    ...own(
      "halvik-sign-in",
      "Sign-ins to Halvik refused",
      "sign-in-refused",
      "warning",
      "{count} refused sign-ins to Halvik from {host}",
      { by: "quiet", seconds: 900 },
    ),
    count: 5,
    windowSeconds: 600,
  },
];

function own(
  id: string,
  name: string,
  event: string,
  severity: Rule["severity"],
  title: string,
  clear: Rule["clear"],
): Rule {
  return {
    kind: "count",
    id,
    name,
    enabled: true,
    filter: `kind is halvik and event is ${event} and outcome is failure`,
    key: ["host"],
    count: 1,
    windowSeconds: 60,
    severity,
    title,
    entities: [],
    clear,
    notes: "",
  };
}
