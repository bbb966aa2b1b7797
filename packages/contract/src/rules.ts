import * as z from "zod";
import { TimeText } from "./common.js";
import { RecordQuery } from "./records.js";

const ruleText = z.string().max(64_000);

const RuleLine = z.object({
  id: z.string(),
  version: z.int(),
  name: z.string(),
  kind: z.string(),
  enabled: z.boolean(),
  listenOnly: z.boolean(),
  severity: z.string(),
  /** How severe it can become at the worst. */
  worstSeverity: z.string(),
  sentence: z.string(),
  tags: z.array(z.string()),
  owner: z.string(),
  /** Incidents that stand open with findings of it. */
  open: z.int(),
  /** Findings it has made, and when the latest was raised. */
  raised: z.int(),
  lastRaised: TimeText.nullable(),
  /** It failed: since when and why, and whether it has stopped or only left findings out. */
  failure: z.object({ since: TimeText, reason: z.string(), times: z.int(), stopped: z.boolean() }).nullable(),
});
export const RuleList = z.object({ rules: z.array(RuleLine) });
export type RuleList = z.infer<typeof RuleList>;

const TestOutcome = z.object({ name: z.string(), raises: z.int(), raised: z.int(), passes: z.boolean() });

export const RuleDetail = z.object({
  rule: RuleLine,
  /** The rule as a file (YAML), as people edit it. */
  text: z.string(),
  reason: z.string(),
  notes: z.string(),
  references: z.array(z.string()),
  tests: z.array(TestOutcome),
  versions: z.array(z.object({ version: z.int(), author: z.string(), at: TimeText, text: z.string() })),
  /** Keys that are on their way to being raised, the nearest first, as the engine last said. */
  near: z.array(z.object({ key: z.string(), have: z.number(), need: z.number(), lacking: z.string(), last: TimeText })),
  /** Keys it has forgotten because it had too many. */
  forgot: z.int(),
  /** Keys it remembers, and how many of them do not know yet what is usual: those raise nothing. */
  keys: z.int(),
  learning: z.int(),
});
export type RuleDetail = z.infer<typeof RuleDetail>;

export const RuleText = z.object({ text: ruleText });
export const SaveRule = RuleText.extend({
  /** It is meant as a new one: never as the next version of one that has the same id by chance. */
  isNew: z.boolean().default(false),
});
/** What a rule that is being written amounts to. */
export const RuleCheck = z.object({
  issues: z.array(z.object({ path: z.string(), message: z.string() })),
  sentence: z.string(),
  tests: z.array(TestOutcome),
  /** Conditions that nothing stored in the last days meets, with what would have to be different. */
  blind: z.array(z.object({ condition: z.string(), needs: z.array(z.string()) })),
});
export type RuleCheck = z.infer<typeof RuleCheck>;

export const RuleSwitch = z.object({ enabled: z.boolean().optional(), listenOnly: z.boolean().optional() });

export const RehearseQuery = RecordQuery.pick({ from: true, to: true }).extend({
  text: ruleText,
  /** Another version, to be held against the first. */
  against: ruleText.optional(),
});

export const RehearsedFinding = z.object({
  title: z.string(),
  key: z.string(),
  first: TimeText,
  last: TimeText,
  raised: TimeText,
  count: z.int(),
  cleared: TimeText.nullable(),
  examples: z.array(z.string()),
});
export type RehearsedFinding = z.infer<typeof RehearsedFinding>;

/** One line of a rehearsal: how far it has come, and at the end what it found. */
export const RehearsalStep = z.object({
  through: TimeText,
  share: z.number(),
  records: z.int(),
  done: z.boolean(),
  /** Findings and the incidents they would have made; the newest are listed. */
  findings: z.int(),
  incidents: z.int(),
  listed: z.array(RehearsedFinding),
  /** The same of the version it is held against; absent without one. */
  against: z.object({ findings: z.int(), incidents: z.int(), listed: z.array(RehearsedFinding) }).optional(),
  /** Processor time of the rule for each record it looked at, in µs. */
  costUs: z.number(),
  forgot: z.int(),
  /** Formats that read records of the window anew since they arrived: they are rehearsed as they read today. */
  amendedBy: z.array(z.string()),
});
export type RehearsalStep = z.infer<typeof RehearsalStep>;

/** A file of Sigma to be read; nothing of it is kept. */
export const SigmaFile = z.object({
  text: z.string().max(2_000_000),
  /** Filters of log sources as a person says them, by how those are written. */
  sources: z.record(z.string().max(300), z.string().max(2_000)).default({}),
});

/** What became of each of its rules. */
export const SigmaRead = z.object({
  outcomes: z.array(
    z.object({
      name: z.string(),
      /** The rule's file as it would be kept; null: it is refused. */
      text: z.string().nullable(),
      id: z.string().nullable(),
      /** There is a rule of that id: it would be its next version. */
      isKnown: z.boolean(),
      source: z.object({ key: z.string(), filter: z.string() }).nullable(),
      notes: z.array(z.string()),
      why: z.string(),
      at: z.string(),
      unknownSource: z.string().nullable(),
    }),
  ),
});
export type SigmaRead = z.infer<typeof SigmaRead>;

export const SigmaText = z.object({
  /** The rule as Sigma; null: it cannot be said there. */
  text: z.string().nullable(),
  why: z.string(),
});
export type SigmaText = z.infer<typeof SigmaText>;

/** Techniques, the rules that would show them, and whether what those look for is heard at all. */
export const BlindMap = z.object({
  at: TimeText,
  /** How far back it was looked for. */
  days: z.int(),
  techniques: z.array(
    z.object({
      /** As MITRE ATT&CK numbers it; empty: rules that name none. */
      technique: z.string(),
      /** What a rule's reference calls it. */
      name: z.string(),
      rules: z.array(
        z.object({
          id: z.string(),
          name: z.string(),
          /** `hears`: everything it looks for has come lately; `quiet`: nothing such has; `blind`: nobody sends what it is about; `off`: it is switched off. */
          state: z.enum(["hears", "quiet", "blind", "off"]),
          blind: z.array(z.object({ condition: z.string(), needs: z.array(z.string()) })),
        }),
      ),
    }),
  ),
});
export type BlindMap = z.infer<typeof BlindMap>;
