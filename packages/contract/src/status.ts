import * as z from "zod";
import { TimeText } from "./common.js";

export const Job = z.object({
  id: z.int(),
  name: z.string(),
  state: z.enum(["running", "done", "failed", "cancelled"]),
  done: z.int(),
  total: z.int().nullable(),
  unit: z.string(),
  message: z.string(),
});

const HealthState = z.enum(["ok", "degraded", "down"]);
export const HealthDetails = z.object({
  state: HealthState,
  database: z.boolean(),
  roles: z.array(z.object({ role: z.string(), node: z.string(), running: z.boolean(), heartbeat: TimeText })),
  /** What is not as it should be, a sentence each. */
  troubles: z.array(z.string()),
  engineBehindSeconds: z.number().nullable(),
  jobs: z.array(Job),
  version: z.string(),
});
export type HealthDetails = z.infer<typeof HealthDetails>;
/** The state alone for those who have not signed in. */
export const Health = z.union([HealthDetails, z.object({ state: HealthState })]);

/** The figures of the frame's top line and of Now. */
export const Summary = z.object({
  now: TimeText,
  recordsPerSecond: z.number(),
  lost: z.int(),
  attention: z.int(),
  senders: z.object({
    admitted: z.int(),
    waiting: z.int(),
    silent: z.array(
      z.object({
        name: z.string(),
        since: TimeText,
        usualGapSeconds: z.number().nullable(),
        explainedBy: z.string().nullable(),
      }),
    ),
  }),
  intake: z.object({
    lost: z.int(),
    refused: z.int(),
    capped: z.int(),
    problems: z.int(),
    late: z.int(),
    held: z.int(),
    spoolBytes: z.int(),
  }),
  store: z.object({ records: z.int(), oldest: TimeText.nullable(), bytes: z.int(), diskFreeBytes: z.int() }),
  jobs: z.array(Job),
  zone: z.string(),
  engineBehindSeconds: z.number().nullable(),
});
export type Summary = z.infer<typeof Summary>;

export const Intake = z.object({
  endpoints: z.array(
    z.object({
      node: z.string(),
      name: z.string(),
      transport: z.string(),
      address: z.string(),
      port: z.int(),
      state: z.string(),
      detail: z.string(),
      counters: z.record(z.string(), z.number()),
      updated: TimeText,
    }),
  ),
  roles: z.array(
    z.object({
      role: z.string(),
      node: z.string(),
      running: z.boolean(),
      started: TimeText,
      heartbeat: TimeText,
      detail: z.record(z.string(), z.unknown()),
    }),
  ),
  collector: z.record(z.string(), z.unknown()),
  /** What flow exporters counted and never arrived, by exporter, protocol and stream. */
  gaps: z.array(z.object({ exporter: z.string(), missed: z.int(), outOfOrder: z.int() })),
});
export type Intake = z.infer<typeof Intake>;

/** Streams of flows: one exporter, protocol and observation domain each. */
export const FlowStreams = z.object({
  streams: z.array(
    z.object({
      exporter: z.string(),
      /** The sender's name; empty: it is none. */
      sender: z.string(),
      protocol: z.string(),
      domain: z.number(),
      /** One in so many packets was looked at, as the stream says for all of it. */
      sampling: z.number(),
      /** How many it has named. */
      interfaces: z.int(),
      applications: z.int(),
      templates: z.array(
        z.object({
          id: z.int(),
          /** It tells of the exporter itself, not of flows. */
          options: z.boolean(),
          /** Octets null: each value says its own length. */
          fields: z.array(z.object({ name: z.string(), octets: z.int().nullable() })),
          learnt: TimeText.nullable(),
          told: TimeText.nullable(),
          used: TimeText.nullable(),
          records: z.number(),
        }),
      ),
      /** Data that cannot be read before its template comes. */
      waiting: z.array(z.object({ template: z.int(), sets: z.int(), octets: z.number(), since: TimeText })),
    }),
  ),
});
export type FlowStreams = z.infer<typeof FlowStreams>;

/** What could not be stored or read back, and waits for a person to decide. */
export const QuarantineList = z.object({
  files: z.array(
    z.object({
      file: z.string(),
      at: TimeText,
      what: z.enum(["records", "spool"]),
      peer: z.string(),
      /** The sender's name, where the peer is one. */
      sender: z.string(),
      endpoint: z.string(),
      records: z.int(),
      bytes: z.int(),
      reason: z.string(),
      state: z.enum(["kept", "again", "given up"]),
    }),
  ),
});
export type QuarantineList = z.infer<typeof QuarantineList>;

export const SignIn = z.object({ name: z.string().min(1).max(120), password: z.string().min(1).max(1_000) });
export const NewPassword = z.object({
  /** The one that holds now: whoever has only the session may not take the account. */
  current: z.string().min(1).max(1_000),
  password: z.string().min(12, "at least 12 characters").max(1_000),
});
export const Session = z.object({
  name: z.string(),
  display: z.string(),
  role: z.string(),
  mustChange: z.boolean(),
  zone: z.string(),
});
export type Session = z.infer<typeof Session>;
