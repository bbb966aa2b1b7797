import { IncidentDetail } from "@halvik/contract";
import { US_PER_HOUR } from "@halvik/core/base/time";
import type { HalvikRecord, RecordJson } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import {
  type MailText,
  type Message,
  mailOf,
  mailOfMany,
  type NotifyRoute,
  nextReminder,
  reasonToDrop,
  retryAfterUs,
  TOGETHER_FROM,
  waitsUntil,
} from "@halvik/core/respond/notify";
import { type Queryable, transaction } from "../../kernel/db/pool.js";
import { incidentDetail } from "../incidents/detail.js";
import { acknowledgeUrl } from "./acknowledge-link.js";
import { mailedBy } from "./plan-deliveries.js";
import {
  type DueDelivery,
  dueDeliveries,
  endDeliveries,
  insertDelivery,
  listRoutes,
  makeOne,
  postponeDelivery,
  remindersSent,
  retryDeliveries,
  sentSince,
  toldIncident,
} from "./repository.js";
import type { Outgoing } from "./ways/way.js";
import type { Ways } from "./ways/ways.js";

const AT_ONCE = 500;

/** What sending works with. */
export interface Sending {
  readonly db: Queryable;
  readonly ways: Ways;
  readonly senders: SenderDirectory;
  readonly present: (record: HalvikRecord) => RecordJson;
  /** The address people reach Halvik by, without a slash at its end. */
  readonly baseUrl: string;
  readonly now: () => number;
}

interface Told {
  readonly delivery: DueDelivery;
  readonly tell: Message;
  readonly detail: IncidentDetail;
  readonly link: string;
}

/**
 * Sends what is due, route by route, and of each route way by way. A message that was sent but whose sending could not be noted, because the
 * role was killed in between, is sent again under the same id: better twice than never.
 */
export async function sendDue(sending: Sending): Promise<void> {
  const { db, now } = sending;
  const due = await dueDeliveries(db, now(), AT_ONCE);
  if (due.length === 0) return;
  const routes = new Map((await listRoutes(db)).map((r) => [r.id, r.route]));
  for (const own of grouped(due, (d) => `${d.route} ${d.step} ${d.channel}`)) {
    const route = routes.get(own[0]!.route);
    const isTest = (d: DueDelivery) => d.tells === "test";
    if (route === undefined) {
      await drop(sending, own, "the notification was deleted");
      continue;
    }
    for (const d of own.filter(isTest)) await attempt(sending, route, [d], "test", testText(route), [], null);
    const told = own.filter((d) => !isTest(d));
    if (!route.enabled) await drop(sending, told, "the notification is switched off");
    else await sendWay(sending, route, told);
  }
}

function grouped<T>(all: readonly T[], by: (one: T) => string): T[][] {
  const groups = new Map<string, T[]>();
  for (const one of all) groups.set(by(one), [...(groups.get(by(one)) ?? []), one]);
  return [...groups.values()];
}

const drop = ({ db, now }: Sending, list: readonly DueDelivery[], why: string) =>
  list.length === 0
    ? Promise.resolve()
    : endDeliveries(
        db,
        list.map((d) => d.id),
        "dropped",
        why,
        now(),
      );

/** Sends what is due to those of one step of a route by one way. */
async function sendWay(sending: Sending, route: NotifyRoute, due: readonly DueDelivery[]): Promise<void> {
  const { db, now } = sending;
  const told: Told[] = [];
  for (const delivery of due) {
    const found = await describe(sending, route, delivery);
    if (found === null) continue;
    if (typeof found === "string") await drop(sending, [delivery], found);
    else told.push(found);
  }
  if (told.length === 0) return;
  // what went together once is the same message when it is sent again
  const messages = grouped(told, (t) => t.delivery.message);
  const singles = messages.filter((m) => m.length === 1).flat();
  for (const together of messages.filter((m) => m.length > 1)) await sendTogether(sending, route, together);
  let left = route.mostPerHour - (await sentSince(db, due[0]!.route, now() - US_PER_HOUR));
  // what is over the limit waits, and goes together once there is room again
  if (left <= 0 || singles.length === 0) return;
  if (singles.length >= TOGETHER_FROM || singles.length > left) {
    await makeOne(
      db,
      singles.map((t) => t.delivery.id),
    );
    await sendTogether(sending, route, singles);
    return;
  }
  for (const t of singles) {
    if (left-- <= 0) return;
    const thread = `incident-${t.detail.incident.id}-route-${t.delivery.route}`;
    await attempt(sending, route, [t.delivery], t.tell, mailOf(t.tell, t.detail, t.link), [t], thread);
  }
}

const sendTogether = (sending: Sending, route: NotifyRoute, told: readonly Told[]) =>
  attempt(
    sending,
    route,
    told.map((t) => ({ ...t.delivery, message: told[0]!.delivery.message })),
    told[0]!.tell,
    mailOfMany(told),
    told,
    null,
  );

/** What is to be told; in words why it is not; null: it waits. */
async function describe(sending: Sending, route: NotifyRoute, delivery: DueDelivery): Promise<Told | string | null> {
  const { db, senders, now } = sending;
  const tell = delivery.tells as Message;
  const incident = await toldIncident(db, delivery.incident!, senders);
  if (incident === null) return "it was merged into another one";
  const why = reasonToDrop(tell, incident, now());
  if (why !== null) return why;
  const waits = waitsUntil(route, incident.severity, delivery.madeUs, now());
  if (waits !== null) {
    await postponeDelivery(db, delivery.id, waits.why, waits.untilUs);
    return null;
  }
  const detail = IncidentDetail.parse(await incidentDetail(db, delivery.incident!, senders, sending.present));
  return { delivery, tell, detail, link: `${sending.baseUrl}/incidents/${delivery.incident}` };
}

async function attempt(
  { db, ways, now, baseUrl }: Sending,
  route: NotifyRoute,
  deliveries: readonly DueDelivery[],
  tells: Outgoing["tells"],
  text: MailText,
  about: Outgoing["about"],
  thread: string | null,
): Promise<void> {
  const ids = deliveries.map((d) => d.id);
  const [first] = deliveries as [DueDelivery];
  const way = await ways.find(route, first, now());
  if ("missing" in way) return endDeliveries(db, ids, "dropped", way.missing, now());
  const { message: id, linkKey, reached } = first;
  const isToAcknowledge = about.length === 1 && tells !== "clear";
  const acknowledge = isToAcknowledge ? (to: string) => acknowledgeUrl(baseUrl, linkKey, id, to) : null;
  const message = { id, tells, notification: route.name, text, about, thread, reached, acknowledgeUrl: acknowledge };
  const sent = await way.send(message);
  if (sent.ok) {
    await transaction(db, async () => {
      await endDeliveries(db, ids, "sent", sent.why ?? "", now(), way.to);
      for (const d of deliveries) await remindAgain(db, route, d, now());
    });
    return;
  }
  const after = sent.permanent ? null : retryAfterUs(Math.max(...deliveries.map((d) => d.attempts)) + 1);
  if (after === null) await endDeliveries(db, ids, "failed", sent.why, now(), way.to);
  else await retryDeliveries(db, ids, sent.why, now() + after, sent.reached ?? []);
}

/** After a reminder the next one waits: as long as nobody acknowledges it. */
async function remindAgain(db: Queryable, route: NotifyRoute, d: DueDelivery, nowUs: number): Promise<void> {
  if (d.tells !== "reminder" || d.event === null) return;
  for (const next of nextReminder(route, nowUs, await remindersSent(db, d.route, d.event)))
    await insertDelivery(db, {
      route: d.route,
      routeName: route.name,
      incident: d.incident,
      event: d.event,
      madeUs: nowUs,
      channel: d.channel,
      to: mailedBy(route, d),
      ...next,
    });
}

const testText = (route: NotifyRoute): MailText => ({
  subject: `Halvik · a test of the notification “${route.name}”`,
  text: `This is a test of the notification “${route.name}”. It is for incidents of severity ${route.severity} or worse.\n`,
});
