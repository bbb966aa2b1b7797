import { NotifyRoute, TELLINGS } from "@halvik/core/respond/notify";
import { z } from "zod";
import { TimeText } from "./common.js";

export const NotifyRouteJson = NotifyRoute.extend({ id: z.int(), author: z.string(), changed: TimeText });
export type NotifyRouteJson = z.infer<typeof NotifyRouteJson>;

export const NotifyRoutes = z.object({
  /** How mail leaves; null: no mail server is set. */
  mail: z.object({ server: z.string(), from: z.string(), isSink: z.boolean() }).nullable(),
  routes: z.array(NotifyRouteJson),
});
export type NotifyRoutes = z.infer<typeof NotifyRoutes>;

/** What became of every message. */
export const Deliveries = z.object({
  deliveries: z.array(
    z.object({
      id: z.int(),
      route: z.object({ id: z.int(), name: z.string() }),
      incident: z.object({ id: z.int(), title: z.string() }).nullable(),
      tells: z.enum([...TELLINGS, "test"]),
      state: z.enum(["waiting", "sent", "failed", "dropped"]),
      made: TimeText,
      due: TimeText,
      ended: TimeText.nullable(),
      attempts: z.int(),
      /** Why it was dropped, or what the server said when it could not be sent. */
      why: z.string(),
      to: z.array(z.string()),
    }),
  ),
});
export type Deliveries = z.infer<typeof Deliveries>;

/** Mail that the stand-in sink has received, the newest first. */
export const SinkMail = z.object({
  mail: z.array(
    z.object({
      file: z.string(),
      at: TimeText,
      from: z.string(),
      to: z.string(),
      subject: z.string(),
      text: z.string(),
    }),
  ),
});
export type SinkMail = z.infer<typeof SinkMail>;

/** What happened to incidents since a person last looked. */
export const Notices = z.object({
  unread: z.int(),
  notices: z.array(
    z.object({
      id: z.int(),
      at: TimeText,
      tells: z.enum(TELLINGS),
      what: z.string(),
      detail: z.string(),
      incident: z.object({ id: z.int(), title: z.string(), severity: z.string() }),
      read: z.boolean(),
    }),
  ),
});
export type Notices = z.infer<typeof Notices>;
export const NoticesRead = z.object({ upTo: z.int().min(0) });
