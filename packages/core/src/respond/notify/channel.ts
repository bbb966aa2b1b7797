import { z } from "zod";

/** What is sent to a web address: Halvik's own JSON, or `{"text": …}`, which chat programs commonly take. */
export const WEBHOOK_FORMATS = ["json", "chat"] as const;

/** A way that messages go by, beside mail. Its secret is kept apart. */
export const Channel = z.object({
  kind: z.literal("webhook"),
  name: z
    .string()
    .trim()
    .min(1, "expected a name")
    .max(80)
    .regex(/^[^\p{Cc}]*$/u, "expected no control characters"),
  url: z
    .url({ protocol: /^https?$/, error: "expected an address that begins with https:// or http://" })
    .max(2_000)
    .refine((url) => !/^https?:\/\/[^/?#]*@/.test(url), "expected an address without a name and password in it"),
  format: z.enum(WEBHOOK_FORMATS).default("json"),
});
export type Channel = z.infer<typeof Channel>;
