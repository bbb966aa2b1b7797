import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE, US_PER_MS, US_PER_SECOND } from "./epoch.js";

const UNITS: Readonly<Record<string, number>> = {
  ms: US_PER_MS,
  s: US_PER_SECOND,
  sec: US_PER_SECOND,
  second: US_PER_SECOND,
  seconds: US_PER_SECOND,
  min: US_PER_MINUTE,
  minute: US_PER_MINUTE,
  minutes: US_PER_MINUTE,
  h: US_PER_HOUR,
  hour: US_PER_HOUR,
  hours: US_PER_HOUR,
  d: US_PER_DAY,
  day: US_PER_DAY,
  days: US_PER_DAY,
};

/** µs of a unit word ("min", "hours"), or undefined. */
export const unitUs = (unit: string): number | undefined => (Object.hasOwn(UNITS, unit) ? UNITS[unit] : undefined);

/** A span in words a person says: "40 s", "5 min", "3 h 20 min", "2 d". Rounds down to two units. */
export function formatDuration(us: number): string {
  if (us < US_PER_SECOND) return `${Math.round(us / US_PER_MS)} ms`;
  const parts: [number, string][] = [
    [US_PER_DAY, "d"],
    [US_PER_HOUR, "h"],
    [US_PER_MINUTE, "min"],
    [US_PER_SECOND, "s"],
  ];
  const i = parts.findIndex(([size]) => us >= size);
  const [size, name] = parts[i]!;
  const whole = Math.floor(us / size);
  const next = parts[i + 1];
  const rest = next ? Math.floor((us - whole * size) / next[0]) : 0;
  return rest > 0 && next && whole < 10 ? `${whole} ${name} ${rest} ${next[1]}` : `${whole} ${name}`;
}

const EXACT = [
  [US_PER_DAY, "d"],
  [US_PER_HOUR, "h"],
  [US_PER_MINUTE, "min"],
] as const;

/** A span of seconds as people write it, with nothing lost: "10 min", "1 d 30 min", "0.5 s". */
export function writeSeconds(seconds: number): string {
  const parts: string[] = [];
  let rest = seconds;
  for (const [us, unit] of EXACT) {
    const whole = Math.floor(rest / (us / US_PER_SECOND));
    if (whole > 0) parts.push(`${whole} ${unit}`);
    rest -= whole * (us / US_PER_SECOND);
  }
  if (rest > 0 || parts.length === 0) parts.push(`${Number(rest.toFixed(6))} s`);
  return parts.join(" ");
}

/** The other way round: "90", "90 s", "1 h 30 min", "1.5h". @returns seconds, or null when it is no span */
export function readSeconds(text: string): number | null {
  const said = text.trim().toLowerCase();
  if (/^\d{1,9}(\.\d{1,6})?$/.test(said)) return Number(said);
  const parts = [...said.matchAll(/(\d{1,9}(?:\.\d{1,6})?)\s*([a-z]+)\s*/g)];
  if (parts.length === 0 || parts.map((m) => m[0]).join("") !== said) return null;
  let seconds = 0;
  for (const [, number, unit] of parts) {
    const us = unitUs(unit!);
    if (us === undefined) return null;
    seconds += (Number(number) * us) / US_PER_SECOND;
  }
  return seconds;
}
