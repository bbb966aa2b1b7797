import { IncidentDetail } from "@halvik/contract";
import { US_PER_HOUR } from "@halvik/core/base/time";
import type { HalvikRecord, RecordJson } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import {
  type MailText,
  mailOf,
  mailOfMany,
  type NotifyRoute,
  reasonToDrop,
  retryAfterUs,
  type Telling,
  TOGETHER_FROM,
} from "@halvik/core/respond/notify";
import type { Queryable } from "../../kernel/db/pool.js";
import { incidentDetail } from "../incidents/detail.js";
import type { Mailer, Thread } from "./mailer.js";
import {
  type DueDelivery,
  dueDeliveries,
  endDeliveries,
  listRoutes,
  retryDeliveries,
  sentSince,
  toldIncident,
} from "./repository.js";

const AT_ONCE = 500;

/** What sending works with. */
export interface Sending {
  readonly db: Queryable;
  /** Null: no mail server is set. */
  readonly mailer: Mailer | null;
  readonly senders: SenderDirectory;
  readonly present: (record: HalvikRecord) => RecordJson;
  readonly linkOf: (incident: number) => string;
  readonly now: () => number;
}

interface Told {
  readonly delivery: DueDelivery;
  readonly tell: Telling;
  readonly detail: IncidentDetail;
  readonly link: string;
}

/**
 * Sends what is due, route by route. A message that was sent but whose sending could not be noted, because the role was killed in
 * between, is sent again: better twice than never.
 */
export async function sendDue(sending: Sending): Promise<void> {
  const { db, now } = sending;
  const due = await dueDeliveries(db, now(), AT_ONCE);
  if (due.length === 0) return;
  const routes = new Map((await listRoutes(db)).map((r) => [r.id, r.route]));
  for (const id of new Set(due.map((d) => d.route))) {
    const own = due.filter((d) => d.route === id);
    const route = routes.get(id);
    const isTest = (d: DueDelivery) => d.tells === "test";
    const drop = (list: readonly DueDelivery[], why: string) =>
      list.length === 0
        ? Promise.resolve()
        : endDeliveries(
            db,
            list.map((d) => d.id),
            "dropped",
            why,
            now(),
          );
    if (route === undefined) await drop(own, "the notification was deleted");
    else if (sending.mailer === null) await drop(own, "no mail server is set (HALVIK_SMTP_URL)");
    else {
      for (const d of own.filter(isTest)) await attempt(sending, sending.mailer, [d], testMail(route), null);
      const told = own.filter((d) => !isTest(d));
      if (!route.enabled) await drop(told, "the notification is switched off");
      else await sendRoute(sending, sending.mailer, id, route, told);
    }
  }
}

async function sendRoute(
  sending: Sending,
  mailer: Mailer,
  id: number,
  route: NotifyRoute,
  due: readonly DueDelivery[],
): Promise<void> {
  const { db, now } = sending;
  const told: Told[] = [];
  for (const delivery of due) {
    const found = await describe(sending, delivery);
    if (typeof found === "string") await endDeliveries(db, [delivery.id], "dropped", found, now());
    else told.push(found);
  }
  if (told.length === 0) return;
  let left = route.mostPerHour - (await sentSince(db, id, now() - US_PER_HOUR));
  // what is over the limit waits, and goes together once there is room again
  if (left <= 0) return;
  if (told.length >= TOGETHER_FROM || told.length > left) {
    await attempt(
      sending,
      mailer,
      told.map((t) => t.delivery),
      mailOfMany(told),
      null,
    );
    return;
  }
  for (const t of told) {
    if (left-- <= 0) return;
    const thread = { id: `incident-${t.detail.incident.id}-route-${id}`, begins: t.tell === "raise" };
    await attempt(sending, mailer, [t.delivery], mailOf(t.tell, t.detail, t.link), thread);
  }
}

/** What is to be told; or in words why it is not. */
async function describe(sending: Sending, delivery: DueDelivery): Promise<Told | string> {
  const { db, senders } = sending;
  const tell = delivery.tells as Telling;
  const incident = await toldIncident(db, delivery.incident!, (s) => senders.name(s));
  if (incident === null) return "it was merged into another one";
  const why = reasonToDrop(tell, incident, sending.now());
  if (why !== null) return why;
  const detail = IncidentDetail.parse(await incidentDetail(db, delivery.incident!, senders, sending.present));
  return { delivery, tell, detail, link: sending.linkOf(delivery.incident!) };
}

async function attempt(
  { db, now }: Sending,
  mailer: Mailer,
  deliveries: readonly DueDelivery[],
  mail: MailText,
  thread: Thread | null,
): Promise<void> {
  const ids = deliveries.map((d) => d.id);
  const sent = await mailer.send(deliveries[0]!.to, mail, thread);
  if (sent.ok) return endDeliveries(db, ids, "sent", "", now());
  const after = sent.permanent ? null : retryAfterUs(Math.max(...deliveries.map((d) => d.attempts)) + 1);
  if (after === null) await endDeliveries(db, ids, "failed", sent.why, now());
  else await retryDeliveries(db, ids, sent.why, now() + after);
}

const testMail = (route: NotifyRoute): MailText => ({
  subject: `Halvik · a test of the notification “${route.name}”`,
  text: `This is a test of the notification “${route.name}”. It sends mail about incidents of severity ${route.severity} or worse.\n`,
});
