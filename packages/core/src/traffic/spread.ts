import { type EpochUs, US_PER_DAY } from "../base/time/index.js";

/** A part of a whole that was carried from one moment to another. */
export interface Stretch {
  readonly startUs: EpochUs;
  readonly endUs: EpochUs;
}

/**
 * Where a flow's amounts lie (`docs/semantics.md` 5): from its first to its last packet, ended at `timeUs`. One that lasts longer than a day or
 * begins after its end lies at its end: an exporter whose clock jumped must not paint a line over weeks.
 */
export function stretchOf(startUs: EpochUs | null, timeUs: EpochUs): Stretch {
  const isCredible = startUs !== null && startUs <= timeUs && timeUs - startUs <= US_PER_DAY;
  return { startUs: isCredible ? startUs : timeUs, endUs: timeUs };
}

/**
 * How much of `whole` was carried up to a moment, rounded down. What lies between two moments is the difference, so that steps of any width
 * add up to one another and to the whole, and the last step has the remainder.
 */
export function carriedUntil(whole: number, { startUs, endUs }: Stretch, us: EpochUs): number {
  if (us >= endUs) return whole;
  if (us <= startUs) return 0;
  return Math.floor(whole * ((us - startUs) / (endUs - startUs)));
}

/** The number of the last step of some width that a stretch touches: what ends at a boundary belongs to the step before it. */
const lastStep = ({ startUs, endUs }: Stretch, widthUs: number): number =>
  endUs > startUs ? Math.ceil(endUs / widthUs) - 1 : Math.floor(endUs / widthUs);

/**
 * Calls for every step of a width that part of a flow lies in, with its bytes and packets there.
 * @param fromUs only what was carried from this moment on
 */
export function eachStep(
  stretch: Stretch,
  fromUs: EpochUs,
  widthUs: number,
  bytes: number,
  packets: number,
  take: (step: number, bytes: number, packets: number) => void,
): void {
  const beginUs = Math.max(stretch.startUs, fromUs);
  if (beginUs > stretch.endUs) return;
  const last = lastStep(stretch, widthUs);
  let bytesBefore = fromUs <= stretch.startUs ? 0 : carriedUntil(bytes, stretch, beginUs);
  let packetsBefore = fromUs <= stretch.startUs ? 0 : carriedUntil(packets, stretch, beginUs);
  for (let step = Math.min(last, Math.floor(beginUs / widthUs)); step <= last; step++) {
    const untilUs = (step + 1) * widthUs;
    const bytesUntil = step === last ? bytes : carriedUntil(bytes, stretch, untilUs);
    const packetsUntil = step === last ? packets : carriedUntil(packets, stretch, untilUs);
    take(step, bytesUntil - bytesBefore, packetsUntil - packetsBefore);
    bytesBefore = bytesUntil;
    packetsBefore = packetsUntil;
  }
}
