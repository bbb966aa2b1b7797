import type { NotifyWays } from "@halvik/contract/notify";
import { clockToInstant, formatUs, isZone, readRfc3339, zoneOffsetUs } from "@halvik/core/base/time";

/** A rota as its form holds it; moments as clocks of its zone show them. */
export interface Values {
  name: string;
  zone: string;
  day: string;
  at: string;
  from: string;
  people: { name: string; to: string }[];
  instead: { from: string; to: string; name: string; mail: string }[];
}

/** @param zone of a new one @param today its first day */
export function valuesOf(rota: NotifyWays["rotas"][number] | null, zone: string, today: string): Values {
  if (rota === null)
    return { name: "", zone, day: "monday", at: "08:00", from: today, people: [{ name: "", to: "" }], instead: [] };
  return {
    name: rota.name,
    zone: rota.zone,
    day: rota.day,
    at: rota.at,
    from: rota.from,
    people: rota.people.map((p) => ({ ...p })),
    instead: rota.instead.map(({ from, to, person }) => ({
      from: clockOf(from, rota.zone),
      to: clockOf(to, rota.zone),
      name: person.name,
      mail: person.to,
    })),
  };
}

/** What is sent: checked by whoever reads it. */
export const rotaOf = ({ instead, ...v }: Values) => ({
  ...v,
  instead: instead.map(({ from, to, name, mail }) => ({
    from: momentOf(from, v.zone),
    to: momentOf(to, v.zone),
    person: { name, to: mail },
  })),
});

/** `YYYY-MM-DD HH:MM` by the clock of a zone. */
function clockOf(moment: string, zone: string): string {
  const us = readRfc3339(moment)?.us ?? 0;
  return formatUs(us + zoneOffsetUs(zone, us))
    .slice(0, 16)
    .replace("T", " ");
}

/** The other way round; what is no moment stays as it is, to be refused. */
function momentOf(clock: string, zone: string): string {
  const read = readRfc3339(`${clock.trim().replace(" ", "T")}:00Z`);
  return read === null || !isZone(zone) ? clock : formatUs(clockToInstant(zone, read.us));
}
