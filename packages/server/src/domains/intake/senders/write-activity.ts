import { Cadence, type SavedCadence } from "@halvik/core/model/senders";
import type { Queryable } from "../../../kernel/db/pool.js";
import { addActivity, keptCadences } from "./activity-repository.js";
import type { SenderRegistry } from "./registry.js";

const CADENCE_EVERY_MS = 60_000;
let cadenceWrittenMs = 0;

/** Adds what was counted and learnt about senders since the last writing. Cadence, the bulkiest part, goes once a minute. */
export async function writeActivity(db: Queryable, registry: SenderRegistry, final: boolean): Promise<void> {
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
  await addActivity(
    db,
    touched.map((s) => ({
      sender: s.facts.id,
      lastHeardUs: s.lastHeardUs,
      ...s.fresh,
      clockOffsetUs: Math.round(s.clock.us),
      cadence: withCadence ? Cadence.sum(kept.get(s.facts.id) ?? null, s.cadence.takeLearnt()) : null,
    })),
  );
  for (const s of touched) {
    for (const name of Object.keys(s.fresh) as (keyof typeof s.fresh)[]) s.fresh[name] = 0;
    if (withCadence) s.touched = false;
  }
}
