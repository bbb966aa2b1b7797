import type { SenderDirectory } from "@halvik/core/model/senders";
import { isHistory, planTelling, tellingOf } from "@halvik/core/respond/notify";
import { type Queryable, transaction } from "../../kernel/db/pool.js";
import {
  dropWaiting,
  insertDelivery,
  listRoutes,
  markNoted,
  saidBefore,
  toldIncident,
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
        tellingOf(event.code) === null ? null : await toldIncident(db, event.incident, (id) => directory.name(id));
      if (incident === null) continue;
      if (isHistory(incident, event)) history.push(event.id);
      for (const { id, route } of routes) {
        const plan = planTelling(route, incident, event, await saidBefore(db, id, event.incident));
        if (plan.tell === null) {
          if (plan.cancels) await dropWaiting(db, id, event.incident, plan.why, nowUs);
          continue;
        }
        await insertDelivery(db, {
          route: id,
          routeName: route.name,
          incident: event.incident,
          tells: plan.tell,
          event: event.id,
          madeUs: nowUs,
          dueUs: plan.dueUs,
          to: route.to,
        });
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
