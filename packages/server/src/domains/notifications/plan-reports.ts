import { type Queryable, transaction } from "../../kernel/db/pool.js";
import { insertStep } from "./plan-deliveries.js";
import { listRoutes, markSent, unsentRuns } from "./repository.js";

const RUNS_AT_ONCE = 50;

/**
 * Makes messages of reports that were made because they were due, one transaction with the mark that it was done: to those whom the notifications
 * of its schedule reach first, at once and whatever the hour, since somebody chose the hour.
 */
export async function planReports(db: Queryable, nowUs: number): Promise<void> {
  const runs = await unsentRuns(db, RUNS_AT_ONCE);
  if (runs.length === 0) return;
  const routes = await listRoutes(db);
  await transaction(db, async () => {
    for (const run of runs) {
      for (const { id, route } of routes.filter((r) => run.routes.includes(r.id) && r.route.enabled))
        await insertStep(db, route, {
          route: id,
          routeName: route.name,
          incident: null,
          tells: "report",
          event: null,
          madeUs: nowUs,
          dueUs: nowUs,
          step: 0,
          reportRun: run.id,
        });
      await markSent(db, run.id);
    }
  });
}
