import * as z from "zod";

/** What is sent to a web address: Halvik's own JSON, or `{"text": …}`, which chat programs commonly take. */
export const WEBHOOK_FORMATS = ["json", "chat"] as const;

export const SYSLOG_TRANSPORTS = ["udp", "tcp", "tls"] as const;

const name = z
  .string()
  .trim()
  .min(1, "expected a name")
  .max(80)
  .regex(/^[^\p{Cc}]*$/u, "expected no control characters");

const Webhook = z.object({
  kind: z.literal("webhook"),
  name,
  url: z
    .url({ protocol: /^https?$/, error: "expected an address that begins with https:// or http://" })
    .max(2_000)
    .refine((url) => !/^https?:\/\/[^/?#]*@/.test(url), "expected an address without a name and password in it"),
  format: z.enum(WEBHOOK_FORMATS).default("json"),
});
const receiver = {
  host: z
    .string()
    .trim()
    .min(1, "expected a host")
    .max(253)
    .regex(/^[A-Za-z0-9._:-]+$/, "expected a host name or an address"),
  port: z.int().min(1).max(65_535),
};
const Syslog = z.object({
  kind: z.literal("syslog"),
  name,
  ...receiver,
  transport: z.enum(SYSLOG_TRANSPORTS).default("udp"),
});

/** Which messages of SNMP it sends: traps, that nobody answers, or informs, that are sent again until they are. */
export const SNMP_MESSAGES = ["trap", "inform"] as const;
/** The hashes and ciphers of users that notifications are sent as: those of RFCs (3414, 7860, 3826) that are still trusted. */
export const SNMP_HASHES = ["sha1", "sha256", "sha512"] as const;

const Snmp = z
  .object({
    kind: z.literal("snmp"),
    name,
    ...receiver,
    message: z.enum(SNMP_MESSAGES).default("trap"),
    version: z.enum(["v2c", "v3"]).default("v2c"),
    /** Of v3: whom it is sent as. */
    user: z
      .string()
      .trim()
      .max(32)
      .regex(/^[!-~]*$/, "expected a user name without spaces")
      .default(""),
    hash: z.enum(SNMP_HASHES).default("sha256"),
  })
  .refine((c) => c.version === "v2c" || c.user !== "", { message: "expected the user it is sent as", path: ["user"] });

const LogFile = z.object({
  kind: z.literal("file"),
  name,
  /** In the directory of the administrator: never a path. */
  file: z
    .string()
    .trim()
    .regex(
      /^[A-Za-z0-9][A-Za-z0-9_-]{0,59}\.log$/,
      "expected a file name of letters, digits and hyphens that ends in .log",
    ),
  /** A file of this size is put aside, and another one begun. */
  megabytes: z.int().min(1).max(1_000).default(10),
  /** So many that were put aside are kept. */
  keep: z.int().min(1).max(50).default(5),
});

const Command = z.object({
  kind: z.literal("command"),
  name,
  /** One of those that the administrator allows, by its name there. */
  program: z.string().trim().min(1, "expected a program").max(60),
  /** As they are written here: nothing of a message is ever one. */
  args: z
    .array(
      z
        .string()
        .max(200)
        .regex(/^[^\p{Cc}]*$/u, "expected no control characters"),
    )
    .max(20)
    .default([]),
});
export type SyslogChannel = z.infer<typeof Syslog>;
export type WebhookChannel = z.infer<typeof Webhook>;
export type SnmpChannel = z.infer<typeof Snmp>;
export type LogFileChannel = z.infer<typeof LogFile>;
export type CommandChannel = z.infer<typeof Command>;

/** A way that messages go by, beside mail. Its secrets are kept apart. */
export const Channel = z.discriminatedUnion("kind", [Webhook, Syslog, Snmp, LogFile, Command]);
export type Channel = z.infer<typeof Channel>;
