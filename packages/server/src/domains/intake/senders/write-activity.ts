import { WAY_COUNTS } from "@halvik/contract/senders";
import { US_PER_HOUR } from "@halvik/core/base/time";
import { Cadence, type SavedCadence } from "@halvik/core/model/senders";
import { type Client, transaction } from "../../../kernel/db/pool.js";
import { addActivity, addHours, forgetHours, keptCadences } from "./activity-repository.js";
import type { SenderRegistry } from "./registry.js";

const CADENCE_EVERY_MS = 60_000;
let cadenceWrittenMs = 0;
/** Up to which hour those that are too old were forgotten. */
let hourForgotten = 0;

/** Adds what was counted and learnt about senders since the last writing. Cadence, the bulkiest part, goes once a minute. */
export async function writeActivity(
  db: Client,
  registry: SenderRegistry,
  final: boolean,
  nowUs: number,
): Promise<void> {
  const touched = [...registry.all()].filter((s) => s.touched);
  if (touched.length === 0) return;
  const withCadence = final || performance.now() - cadenceWrittenMs > CADENCE_EVERY_MS;
  if (withCadence) cadenceWrittenMs = performance.now();
  const kept = withCadence
    ? await keptCadences(
        db,
        touched.map((s) => s.facts.id),
      )
    : new Map<number, SavedCadence>();
  const hour = Math.floor(nowUs / US_PER_HOUR);
  const written = touched.map((s) => ({
    ...{ live: s, fresh: { ...s.fresh } },
    ways: [...s.ways].map(([endpoint, counts]) => [endpoint, { ...counts }] as const),
  }));
  // all of it or nothing: what fails is written again
  await transaction(db, async () => {
    await addActivity(
      db,
      written.map(({ live: s, fresh }) => ({
        sender: s.facts.id,
        lastHeardUs: s.lastHeardUs,
        ...fresh,
        clockOffsetUs: Math.round(s.clock.us),
        cadence: withCadence ? Cadence.sum(kept.get(s.facts.id) ?? null, s.cadence.takeLearnt()) : null,
      })),
    );
    await addHours(
      db,
      hour,
      written.flatMap(({ live: s, ways }) =>
        ways.map(([endpoint, counts]) => ({
          sender: s.facts.id,
          endpoint,
          offsetUs: Math.round(s.clock.us),
          ...counts,
        })),
      ),
    );
    if (hour !== hourForgotten) await forgetHours(db, hour);
  });
  hourForgotten = hour;
  // what was counted meanwhile is written next time
  for (const { live: s, fresh, ways } of written) {
    takeOut(s.fresh, fresh);
    for (const [endpoint, { lastUs: _, ...counts }] of ways) {
      const now = s.ways.get(endpoint)!;
      takeOut<keyof typeof counts>(now, counts);
      if (WAY_COUNTS.every((name) => now[name] === 0)) s.ways.delete(endpoint);
    }
    if (withCadence) s.touched = Object.values(s.fresh).some((n) => n > 0);
  }
}

function takeOut<Name extends string>(from: { [N in Name]: number }, written: { readonly [N in Name]: number }): void {
  for (const name of Object.keys(written) as Name[]) from[name] -= written[name];
}
