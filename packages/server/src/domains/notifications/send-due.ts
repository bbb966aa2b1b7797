import { IncidentDetail } from "@halvik/contract/incidents";
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
  plainMessage,
  reasonToDrop,
  retryAfterUs,
  TOGETHER_FROM,
  type ToldOf,
  type Writing,
  waitsUntil,
} from "@halvik/core/respond/notify";
import { type Queryable, transaction } from "../../kernel/db/pool.js";
import { OneAtATime } from "../../kernel/one-at-a-time.js";
import { incidentDetail } from "../incidents/detail.js";
import { acknowledgeUrl } from "./acknowledge-link.js";
import { mailedBy } from "./plan-deliveries.js";
import { reportText } from "./report-text.js";
import {
  type DueDelivery,
  dueDeliveries,
  endDeliveries,
  incidentToNotify,
  insertDelivery,
  listRoutes,
  makeOne,
  postponeDelivery,
  remindersSent,
  retryDeliveries,
  sentSince,
} from "./repository.js";
import { listTexts } from "./settings-repository.js";
import type { Outgoing } from "./ways/way.js";
import type { Ways } from "./ways/ways.js";

const AT_ONCE = 500;
const WHY_MOST = 300;

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

interface Told extends ToldOf {
  readonly delivery: DueDelivery;
}

/** A message that goes now. */
interface Attempt {
  readonly route: NotifyRoute;
  readonly deliveries: readonly DueDelivery[];
  readonly tells: Outgoing["tells"];
  readonly write: Outgoing["write"];
  readonly about: Outgoing["about"];
  readonly thread: string | null;
}

/**
 * Sends what is due: to those of one step of a route by one way one after another, different ways beside each other, so that a receiver that hangs
 * holds nobody else up. A message that was sent but whose sending could not be noted, because the role was killed in between, is sent again
 * under the same id: better twice than never.
 */
export async function sendDue(sending: Sending): Promise<void> {
  const { db, now } = sending;
  const due = await dueDeliveries(db, now(), AT_ONCE);
  if (due.length === 0) return;
  const routes = new Map((await listRoutes(db)).map((r) => [r.id, r.route]));
  const ownTexts = new Map((await listTexts(db)).map((t) => [t.id, t.body]));
  const ways: Attempt[][] = [];
  // setting a report takes a moment: one at a time, so that what tells of an incident goes between
  const nowRuns = new Set(
    due
      .filter((d) => d.tells === "report")
      .map((d) => d.reportRun)
      .slice(0, 1),
  );
  const written = new Map<number, MailText | null>();
  for (const own of grouped(due, (d) => `${d.route} ${d.step} ${d.channel}`)) {
    const route = routes.get(own[0]!.route);
    const isTest = (d: DueDelivery) => d.tells === "test";
    if (route === undefined) {
      await drop(sending, own, "the notification was deleted");
      continue;
    }
    const reports = await reportsOf(
      sending,
      route,
      own.filter((d) => d.tells === "report" && nowRuns.has(d.reportRun)),
      written,
    );
    const tests = own.filter(isTest).map(
      (d): Attempt => ({
        route,
        deliveries: [d],
        tells: "test",
        write: () => testText(route),
        about: [],
        thread: null,
      }),
    );
    const told = own.filter((d) => !isTest(d) && d.tells !== "report");
    if (!route.enabled) await drop(sending, told, "the notification is switched off");
    // texts that were deleted are those that ship
    const texts = (route.texts === null ? null : ownTexts.get(route.texts)) ?? null;
    const writing = { notification: route.name, texts, zone: route.zone };
    ways.push([...tests, ...reports, ...(route.enabled ? await planWay(sending, route, writing, told) : [])]);
  }
  const alone = new OneAtATime();
  await Promise.all(
    ways.map(async (attempts) => {
      for (const one of attempts) await attempt(sending, one, alone);
    }),
  );
}

/** Messages that bring a report. */
async function reportsOf(
  sending: Sending,
  route: NotifyRoute,
  due: readonly DueDelivery[],
  written: Map<number, MailText | null>,
): Promise<Attempt[]> {
  const attempts: Attempt[] = [];
  for (const d of due) {
    let text: MailText | null = null;
    try {
      if (d.reportRun !== null && !written.has(d.reportRun))
        written.set(d.reportRun, await reportText(sending.db, d.reportRun, sending.baseUrl));
      text = d.reportRun === null ? null : written.get(d.reportRun)!;
    } catch (e) {
      // one that cannot be written keeps no other message back
      await drop(sending, [d], `it could not be written: ${(e as Error).message.slice(0, WHY_MOST)}`);
      continue;
    }
    if (text === null) await drop(sending, [d], "the report is gone");
    else attempts.push({ route, deliveries: [d], tells: "report", write: () => text, about: [], thread: null });
  }
  return attempts;
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

/** What goes now to those of one step of a route by one way. */
async function planWay(
  sending: Sending,
  route: NotifyRoute,
  writing: Writing,
  due: readonly DueDelivery[],
): Promise<Attempt[]> {
  const { db, now } = sending;
  const told: Told[] = [];
  for (const delivery of due) {
    const found = await describe(sending, route, delivery);
    if (found === null) continue;
    if (typeof found === "string") await drop(sending, [delivery], found);
    else told.push(found);
  }
  if (told.length === 0) return [];
  // what went together once is the same message when it is sent again
  const messages = grouped(told, (t) => t.delivery.message);
  const singles = messages.filter((m) => m.length === 1).flat();
  const again = messages.filter((m) => m.length > 1).map((m) => together(route, writing, m));
  const left = route.mostPerHour - (await sentSince(db, due[0]!, now() - US_PER_HOUR));
  // what is over the limit waits, and goes together once there is room again
  if (left <= 0 || singles.length === 0) return again;
  if (singles.length >= TOGETHER_FROM || singles.length > left) {
    await makeOne(
      db,
      singles.map((t) => t.delivery.id),
    );
    return [...again, together(route, writing, singles)];
  }
  const apart = singles.map(
    (t): Attempt => ({
      route,
      deliveries: [t.delivery],
      tells: t.tell,
      write: (acknowledgeUrl) => mailOf(t, writing, acknowledgeUrl),
      about: [t],
      thread: `incident-${t.detail.incident.id}-route-${t.delivery.route}`,
    }),
  );
  return [...again, ...apart];
}

const together = (route: NotifyRoute, writing: Writing, told: readonly Told[]): Attempt => ({
  route,
  deliveries: told.map((t) => ({ ...t.delivery, message: told[0]!.delivery.message })),
  tells: told[0]!.tell,
  write: () => mailOfMany(told, writing),
  about: told,
  thread: null,
});

/** What is to be told; in words why it is not; null: it waits. */
async function describe(sending: Sending, route: NotifyRoute, delivery: DueDelivery): Promise<Told | string | null> {
  const { db, senders, now } = sending;
  const tell = delivery.tells as Message;
  const incident = await incidentToNotify(db, delivery.incident!, senders);
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

/** @param alone what of it is asked of the store: other ways share the connection */
async function attempt(
  { db, ways, now, baseUrl }: Sending,
  { route, deliveries, tells, write, about, thread }: Attempt,
  alone: OneAtATime,
): Promise<void> {
  const ids = deliveries.map((d) => d.id);
  const [first] = deliveries as [DueDelivery];
  const way = await alone.run(() => ways.find(route, first, now()));
  if ("missing" in way) return alone.run(() => endDeliveries(db, ids, "dropped", way.missing, now()));
  const { message: id, linkKey, reached } = first;
  const isToAcknowledge = about.length === 1 && tells !== "clear";
  const acknowledge = isToAcknowledge ? (to: string) => acknowledgeUrl(baseUrl, linkKey, id, to) : null;
  const message = { id, tells, notification: route.name, write, about, thread, reached, acknowledgeUrl: acknowledge };
  const sent = await way.send(message);
  await alone.run(async () => {
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
  });
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

const testText = (route: NotifyRoute): MailText =>
  plainMessage(
    `Halvik · a test of the notification “${route.name}”`,
    `This is a test of the notification “${route.name}”. It is for incidents of severity ${route.severity} or worse.`,
  );
