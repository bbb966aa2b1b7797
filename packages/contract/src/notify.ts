import { Channel, MESSAGES, NotifyRouteParts, Rota, TELLINGS } from "@halvik/core/respond/notify";
import { z } from "zod";
import { TimeText } from "./common.js";

export const NotifyRouteJson = NotifyRouteParts.extend({ id: z.int(), author: z.string(), changed: TimeText });
export type NotifyRouteJson = z.infer<typeof NotifyRouteJson>;

export const NotifyRoutes = z.object({
  /** How mail leaves; null: no mail server is set. */
  mail: z.object({ server: z.string(), from: z.string(), isSink: z.boolean() }).nullable(),
  routes: z.array(NotifyRouteJson),
});
export type NotifyRoutes = z.infer<typeof NotifyRoutes>;

const Kept = { id: z.int(), author: z.string(), changed: TimeText };

/** What notifications can go by and to, beside mail addresses. */
export const NotifyWays = z.object({
  channels: z.array(z.intersection(Channel, z.object(Kept))),
  rotas: z.array(Rota.extend({ ...Kept, onDuty: z.object({ name: z.string(), to: z.string(), until: TimeText }) })),
});
export type NotifyWays = z.infer<typeof NotifyWays>;

/** A channel as it is written; null: its secret stays as it is. */
export const ChannelWrite = z.object({
  channel: Channel,
  secret: z.string().max(200, "expected 200 characters at most").nullable().default(null),
});

/** What a link to acknowledge holds. */
export const AcknowledgeByLink = z.object({
  message: z.uuid("expected the link as it stands in the message"),
  to: z.email("expected the link as it stands in the message"),
  signature: z.string().max(100),
});

/** What became of every message. */
export const Deliveries = z.object({
  deliveries: z.array(
    z.object({
      id: z.int(),
      route: z.object({ id: z.int(), name: z.string() }),
      incident: z.object({ id: z.int(), title: z.string() }).nullable(),
      tells: z.enum([...MESSAGES, "test"]),
      state: z.enum(["waiting", "sent", "failed", "dropped"]),
      made: TimeText,
      due: TimeText,
      ended: TimeText.nullable(),
      attempts: z.int(),
      /** Why it was dropped, or what the server said when it could not be sent. */
      why: z.string(),
      to: z.array(z.string()),
      /** 0: those of the notification; n: those it goes on to then. */
      step: z.int(),
      /** The channel it goes by; null: mail. */
      channel: z.string().nullable(),
      /** What the message is known by to those who get it, however often it is sent. */
      message: z.string(),
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
