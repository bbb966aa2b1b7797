import type { RuleInput } from "../rule.js";

const FIVE_MINUTES = 300;

/** Halvik's own ears (`docs/semantics.md` 27): it says what it notices as records of kind "halvik", and these turn them into incidents. */
export const OWN_RULES: readonly RuleInput[] = [
  {
    ...own("halvik-sender-silent", "A sender fell silent", "sender-silent", "warning", "{host} has fallen silent", {
      by: "record",
      filter: "kind is halvik and event is sender-heard",
    }),
    explainedBy: ["uplink-down", "adjacency-lost"],
  },
  {
    ...own(
      "halvik-sender-new",
      "A sender never heard before",
      "sender-new",
      "notice",
      "{host} was never heard before",
      {
        by: "quiet",
        seconds: FIVE_MINUTES,
      },
    ),
    filter: "kind is halvik and event is sender-new",
    reason:
      "What sends by itself for the first time is a new device, a changed address, or somebody who wants to be heard.",
    tests: [
      {
        name: "it is said",
        raises: 1,
        records: [{ at: 0, fields: { kind: "halvik", event: "sender-new", outcome: "unknown", host: "x" } }],
      },
      {
        name: "a known one is heard again",
        raises: 0,
        records: [{ at: 0, fields: { kind: "halvik", event: "sender-heard", outcome: "success", host: "x" } }],
      },
    ],
  },
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
  own(
    "halvik-shed",
    "Records dropped to save the disk",
    "segment-shed",
    "critical",
    "Halvik dropped its oldest records: the disk was nearly full",
    { by: "quiet", seconds: FIVE_MINUTES },
  ),
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
  own(
    "halvik-quarantine",
    "Records the store refuses",
    "batch-quarantined",
    "error",
    "{host} keeps records in quarantine: the store refused them",
    { by: "quiet", seconds: FIVE_MINUTES },
  ),
  own(
    "halvik-spool-damaged",
    "The spool is damaged",
    "spool-damaged",
    "error",
    "Part of what {host} kept on disk cannot be read back",
    { by: "quiet", seconds: FIVE_MINUTES },
  ),
  own("halvik-rule-failing", "A rule fails", "rule-failing", "error", "The rule {host} fails", {
    by: "quiet",
    seconds: 900,
  }),
  own("halvik-forward", "Nothing can be passed on", "forward-failing", "error", "{host} passes nothing on", {
    by: "quiet",
    seconds: 120,
  }),
  own("halvik-clock", "The clock was set", "clock-jumped", "warning", "The clock of {host} was set", {
    by: "quiet",
    seconds: FIVE_MINUTES,
  }),
  own(
    "halvik-database",
    "PostgreSQL was started again",
    "database-restarted",
    "error",
    "PostgreSQL had ended and was started again",
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
  severity: RuleInput["severity"],
  title: string,
  clear: RuleInput["clear"],
): RuleInput & { kind: "count" } {
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
    reason: "Halvik watches itself with the same engine: what is not received cannot raise anything.",
    tags: ["halvik"],
    tests: [
      {
        name: "it is said",
        raises: 1,
        records: [{ at: 0, times: 9, fields: { kind: "halvik", event, outcome: "failure", host: "x" } }],
      },
      {
        name: "it is over, or explained",
        raises: 0,
        records: [{ at: 0, times: 9, fields: { kind: "halvik", event, outcome: "unknown", host: "x" } }],
      },
    ],
  };
}
