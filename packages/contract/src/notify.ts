import {
  Channel,
  NOTIFIED_CHANGES,
  NotifyRouteParts,
  NotifyTexts,
  Rota,
  TELLS,
  TEXT_KINDS,
} from "@halvik/core/respond/notify";
import * as z from "zod";
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
  texts: z.array(z.intersection(NotifyTexts, z.object(Kept))),
  /** Programs that the administrator allows channels to run, by name. */
  programs: z.array(z.string()),
  /** The engine that notifications of SNMP v3 come from, as receivers have to know it. */
  engineId: z.string(),
  rotas: z.array(Rota.extend({ ...Kept, onDuty: z.object({ name: z.string(), to: z.string(), until: TimeText }) })),
});
export type NotifyWays = z.infer<typeof NotifyWays>;

const Secret = z.string().max(200, "expected 200 characters at most").nullable().default(null);

/** A channel as it is written; null: a secret stays as it is. */
export const ChannelWrite = z
  .object({
    channel: Channel,
    secret: Secret,
    /** What messages of SNMP v3 are encrypted with. */
    privacySecret: Secret,
  })
  .superRefine(({ channel, secret, privacySecret }, check) => {
    const short = (text: string | null) => text !== null && text !== "" && text.length < 8;
    if (channel.kind !== "snmp") return;
    const say = (path: string, message: string) => check.addIssue({ code: "custom", path: [path], message });
    if (channel.version === "v2c" && secret === "") say("secret", "expected the community");
    // RFC 3414 section 11.2
    if (channel.version === "v3" && short(secret)) say("secret", "expected 8 characters or more");
    if (channel.version === "v3" && short(privacySecret)) say("privacySecret", "expected 8 characters or more");
    if (channel.version === "v3" && secret === "" && privacySecret)
      say("secret", "expected a pass phrase: what is encrypted is authenticated too");
  });

/** Texts that are tried on an incident before they are kept. */
export const PreviewText = z.object({
  incident: z.int().min(1),
  kind: z.enum(TEXT_KINDS),
  language: z.string().max(20),
  subject: z.string().max(300),
  body: z.string().max(20_000),
});
export const Preview = z.object({ subject: z.string(), text: z.string(), html: z.string() });
export type Preview = z.infer<typeof Preview>;

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
      tells: z.enum(TELLS),
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

/** What happened to incidents since a person last looked, the newest first: what happens to one within a minute is one notice. */
export const Notices = z.object({
  unread: z.int(),
  notices: z.array(
    z.object({
      /** Of its newest line. */
      id: z.int(),
      at: TimeText,
      tells: z.enum(NOTIFIED_CHANGES),
      incident: z.object({ id: z.int(), title: z.string(), severity: z.string() }),
      read: z.boolean(),
      /** In the order of time. */
      lines: z
        .array(z.object({ id: z.int(), tells: z.enum(NOTIFIED_CHANGES), what: z.string(), detail: z.string() }))
        .min(1),
    }),
  ),
});
export type Notices = z.infer<typeof Notices>;
export const NoticesRead = z.object({ upTo: z.int().min(0) });
