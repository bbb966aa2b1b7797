import type { SenderDirectory } from "@halvik/core/model/senders";
import {
  followUpsOf,
  isHistory,
  type NotifyRoute,
  notifiedChangeOf,
  planNotification,
  whomOf,
} from "@halvik/core/respond/notify";
import { type Queryable, transaction } from "../../kernel/db/pool.js";
import {
  dropWaiting,
  incidentToNotify,
  insertDelivery,
  listRoutes,
  markNoted,
  type NewDelivery,
  sentBefore,
  stepsSent,
  unnotedEvents,
} from "./repository.js";

const EVENTS_AT_ONCE = 500;

/**
 * Makes messages of what has happened to incidents, one transaction with the mark that it was looked at: nothing is told twice or
 * forgotten when the role is killed. @returns whether there may be more
 */
export async function planDeliveries(db: Queryable, directory: SenderDirectory, nowUs: number): Promise<boolean> {
  const events = await unnotedEvents(db, EVENTS_AT_ONCE);
  if (events.length === 0) return false;
  const routes = await listRoutes(db);
  await transaction(db, async () => {
    const history: number[] = [];
    for (const event of events) {
      const incident =
        notifiedChangeOf(event.code) === null ? null : await incidentToNotify(db, event.incident, directory);
      if (incident === null) continue;
      if (isHistory(incident, event)) history.push(event.id);
      // what comes after it in this step asks what the incident was raised by
      if (notifiedChangeOf(event.code) === "raise") await markNoted(db, [event.id], history);
      for (const { id, route } of routes) {
        const plan = planNotification(route, incident, event, await sentBefore(db, id, event.incident), directory);
        if (plan.tell === null) {
          if (plan.cancels) await dropWaiting(db, id, event.incident, plan.why, nowUs);
          continue;
        }
        const made = { route: id, routeName: route.name, incident: event.incident, event: event.id, madeUs: nowUs };
        if (plan.tell === "clear") {
          await dropWaiting(db, id, event.incident, "over before it was sent", nowUs, ["reminder", "escalation"]);
          // whoever was told of it is told that it is over
          for (const way of await stepsSent(db, id, event.incident))
            await insertDelivery(db, { ...made, tells: "clear", dueUs: plan.dueUs, ...way, to: mailedBy(route, way) });
          continue;
        }
        await insertStep(db, route, { ...made, tells: plan.tell, dueUs: plan.dueUs, step: 0 });
        // it went on to others: they hear how it goes on
        if (plan.tell === "update")
          for (const way of await stepsSent(db, id, event.incident))
            if (way.step > 0)
              await insertDelivery(db, {
                ...made,
                tells: "update",
                dueUs: plan.dueUs,
                ...way,
                to: mailedBy(route, way),
              });
        if (plan.tell === "raise")
          for (const follow of followUpsOf(route, plan.dueUs)) await insertStep(db, route, { ...made, ...follow });
      }
    }
    await markNoted(
      db,
      events.map((e) => e.id),
      history,
    );
  });
  return events.length === EVENTS_AT_ONCE;
}

/** A message to those of a step, one for each way they are reached by. */
export async function insertStep(
  db: Queryable,
  route: NotifyRoute,
  made: Omit<NewDelivery, "channel" | "to">,
): Promise<void> {
  const whom = whomOf(route, made.step);
  if (whom === null) return;
  const mail = whom.to.length + whom.rotas.length > 0 ? [null] : [];
  for (const channel of [...mail, ...whom.channels]) {
    const way = { step: made.step, channel };
    await insertDelivery(db, { ...made, channel, to: mailedBy(route, way) });
  }
}

/** The addresses that are mailed, besides whoever is on duty then. */
export const mailedBy = (
  route: NotifyRoute,
  { step, channel }: { readonly step: number; readonly channel: number | null },
): readonly string[] => (channel === null ? (whomOf(route, step)?.to ?? []) : []);
