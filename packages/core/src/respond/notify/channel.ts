import { z } from "zod";

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
const Syslog = z.object({
  kind: z.literal("syslog"),
  name,
  host: z
    .string()
    .trim()
    .min(1, "expected a host")
    .max(253)
    .regex(/^[A-Za-z0-9._:-]+$/, "expected a host name or an address"),
  port: z.int().min(1).max(65_535),
  transport: z.enum(SYSLOG_TRANSPORTS).default("udp"),
});
export type SyslogChannel = z.infer<typeof Syslog>;
export type WebhookChannel = z.infer<typeof Webhook>;

/** A way that messages go by, beside mail. Its secret is kept apart. */
export const Channel = z.discriminatedUnion("kind", [Webhook, Syslog]);
export type Channel = z.infer<typeof Channel>;
