/** Each once, in this order, in the System part of an event (published Event schema, SystemPropertiesType). */
const PARTS = [
  /<TimeCreated\b[^>]{0,200}\bSystemTime\s{0,9}=\s{0,9}["']([^"'<]{1,60})["']/,
  /<EventRecordID\s{0,9}>\s{0,99}(\d{1,20})\s{0,99}</,
  /<Channel\s{0,9}>([^<]{1,300})</,
  /<Computer\s{0,9}>([^<]{1,300})</,
] as const;
/** The System part is a few hundred characters. */
const MOST_SYSTEM = 8_000;

/**
 * What tells an event from every other: computer, log, number in that log, and the moment it was written, to 100 ns: a log that was cleared counts from
 * one again. Whoever sends it, and however often, it is the same event. @returns null where it says too little of itself
 */
export function eventIdentity(xml: string): string | null {
  const begin = xml.indexOf("<System");
  if (begin < 0) return null;
  const system = xml.slice(begin, Math.min(xml.length, begin + MOST_SYSTEM));
  const end = system.indexOf("</System>");
  if (end < 0) return null;
  const head = system.slice(0, end);
  const found = PARTS.map((part) => part.exec(head)?.[1]?.trim());
  return found.every((text) => text !== undefined) ? found.join(" ").toLowerCase() : null;
}
