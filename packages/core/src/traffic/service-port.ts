/**
 * The port of the service among two: a client's port is high and picked at random, so the lower one is the service's
 * (common practice, no source). Null when there are none.
 */
export function servicePort(src: number | null, dst: number | null): number | null {
  if (src === null || dst === null) return dst ?? src;
  return Math.min(src, dst);
}
