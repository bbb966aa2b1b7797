import { Forward } from "@halvik/core/forward";
import * as z from "zod";
import { TimeText } from "./common.js";

/** What becomes of what a forward passes on. */
export const FORWARD_STATES = ["waiting", "delivering", "trouble", "stopped"] as const;

export const ForwardJson = z
  .object({
    id: z.int(),
    forward: Forward,
    enabled: z.boolean(),
    /** Where it goes, in short. */
    says: z.string(),
    /** A secret is kept for it. */
    hasSecret: z.boolean(),
    /** Why nothing is chosen for it: its filter names what is gone. */
    broken: z.string().nullable(),
    author: z.string(),
    changed: TimeText,
    state: z.enum(FORWARD_STATES),
    detail: z.string(),
    /** On disk, to be delivered; since when the oldest waits. */
    queuedBytes: z.number(),
    oldest: TimeText.nullable(),
    /** Since the collector began: delivered, refused by the receiver for good, and not kept because the queue was full. */
    sent: z.number(),
    refused: z.number(),
    lost: z.number(),
    last: TimeText.nullable(),
    /** Rules of arrival that pass on by it. */
    rules: z.array(z.string()),
  })
  .meta({ id: "Forward" });
export type ForwardJson = z.infer<typeof ForwardJson>;

export const ForwardList = z.object({ forwards: z.array(ForwardJson) });
export type ForwardList = z.infer<typeof ForwardList>;

/** Sent as “Authorization: Bearer …”; empty: none. Absent: as it is. */
const secret = z.string().max(500).optional();
export const NewForward = z.object({ forward: Forward, secret });
export const ForwardChange = z.object({ forward: Forward.optional(), enabled: z.boolean().optional(), secret });
