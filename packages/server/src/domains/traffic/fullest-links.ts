import type { FullLink } from "@halvik/contract/boards";
import { US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { WAYS } from "@halvik/core/traffic";
import type { Queryable } from "../../kernel/db/pool.js";
import { derivedBefore } from "../../store/traffic/derive-sums.js";
import {
  keptSince,
  type Meter,
  meterSet,
  onSteps,
  piecesOf,
  readSums,
  trafficSources,
} from "../../store/traffic/read-sums.js";
import type { Names } from "../names/repository.js";
import { knownInterfaces } from "./interfaces-repository.js";
import { placesOf } from "./places.js";

const BITS = 8;
/** A day is looked at by five minutes, more by the hour. */
const FINE_US = 26 * US_PER_HOUR;

/** Interfaces whose capacity is known, both ways, the fullest step of the window first. @param fiveDays for how long sums by five minutes are kept */
export async function fullestLinks(
  db: Queryable,
  directory: SenderDirectory,
  names: Names,
  window: { readonly fromUs: number; readonly toUs: number },
  fiveDays: number,
  nowUs: number,
): Promise<FullLink[]> {
  const { exporters } = placesOf(await trafficSources(db), await knownInterfaces(db), directory, names);
  const links = exporters.flatMap(({ id, name, interfaces }) =>
    interfaces.flatMap(({ index, name: called, capacity, metersIn, metersOut }) =>
      capacity === null
        ? []
        : [...(metersIn ? (["in"] as const) : []), ...(metersOut ? (["out"] as const) : [])].map((way) => ({
            exporter: { id, name },
            interface: { index, name: called },
            way,
            capacity,
          })),
    ),
  );
  if (links.length === 0) return [];
  const sinceUs = keptSince(fiveDays, nowUs);
  const widthUs = window.toUs - window.fromUs <= FINE_US && window.fromUs >= sinceUs ? 5 * US_PER_MINUTE : US_PER_HOUR;
  const whole = onSteps(window.fromUs, window.toUs, widthUs);
  const pieces = piecesOf(whole.fromUs, whole.toUs, widthUs, {
    fiveSinceUs: sinceUs,
    derived: await derivedBefore(db),
  });
  const found: FullLink[] = [];
  for (const link of links) {
    const meter: Meter = {
      sender: link.exporter.id,
      interface: link.interface.index,
      way: WAYS.indexOf(link.way),
      side: 0,
    };
    const steps = await readSums(db, meterSet([meter]), "total", pieces, widthUs);
    const bits = steps.map((s) => (s.bytes * BITS * US_PER_SECOND) / widthUs);
    const all = steps.reduce((sum, s) => sum + s.bytes, 0);
    found.push({
      ...link,
      most: Math.max(0, ...bits),
      average: (all * BITS * US_PER_SECOND) / (whole.toUs - whole.fromUs),
      stepSeconds: widthUs / US_PER_SECOND,
    });
  }
  return found.sort((a, b) => b.most / b.capacity - a.most / a.capacity);
}
