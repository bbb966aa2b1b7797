import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND, zoneOffsetUs } from "@halvik/core/time";
import { DEVICES, type Device, ZONE } from "./devices.js";
import { ordinary } from "./messages.js";
import { Random } from "./random.js";
import { STORIES } from "./stories.js";
import { writeLine } from "./write.js";

/** A message on its way: when the device made it, when it reaches the collector. */
export interface Sent {
  readonly device: Device;
  readonly arrivesUs: number;
  readonly line: string;
}

export interface TimelineOptions {
  readonly seed: number;
  /** A story begins every so many minutes: seldom in history, often while someone watches. */
  readonly storyEveryMinutes: number;
  /** Ordinary traffic, as a multiple of a usual day. */
  readonly rate: number;
}

const TRANSIT_US = 40_000;
/** Once in a while a ship is out of radio: what it has to say comes afterwards, all at once. */
const RADIO_GAP = { everyUs: 26 * US_PER_HOUR, lengthUs: 8 * US_PER_MINUTE, ship: "ship Brisling" };

/**
 * Everything the devices send because of one minute, in order of arrival. A pure function of seed and minute: history and
 * live stand-ins tell the same story. A story that begins in this minute is given whole, however long it lasts.
 */
export function minuteOf(minute: number, options: TimelineOptions): Sent[] {
  const startUs = minute * US_PER_MINUTE;
  const out: Sent[] = [];
  for (const device of DEVICES) {
    const r = new Random(options.seed, minute, device.name);
    const count = r.poisson((device.perHour / 60) * dayShape(startUs) * options.rate);
    for (let i = 0; i < count; i++) out.push(send(device, startUs + r.int(0, 59_999_999), writeOrdinary(device, r)));
  }
  if (minute % options.storyEveryMinutes === 0) {
    const r = new Random(options.seed, minute, "story");
    const story = STORIES[Math.floor(minute / options.storyEveryMinutes) % STORIES.length]!;
    for (const beat of story(r))
      out.push(send(beat.device, startUs + beat.afterUs, (atUs) => writeLine(beat.device, beat.said, atUs)));
  }
  return out.sort((a, b) => a.arrivesUs - b.arrivesUs);
}

function writeOrdinary(device: Device, r: Random): (atUs: number) => string {
  const said = ordinary(device, r);
  return (atUs) => writeLine(device, said, atUs);
}

function send(device: Device, atUs: number, line: (atUs: number) => string): Sent {
  return { device, arrivesUs: arrival(device, atUs), line: line(atUs) };
}

function arrival(device: Device, atUs: number): number {
  if (device.site !== RADIO_GAP.ship) return atUs + TRANSIT_US;
  const phase = atUs % RADIO_GAP.everyUs;
  return phase < RADIO_GAP.lengthUs
    ? atUs - phase + RADIO_GAP.lengthUs + (phase % (20 * US_PER_SECOND))
    : atUs + TRANSIT_US * 8;
}

/** Busy by day, quiet by night: 0.45 to 1.5 around a mean of about 1. */
function dayShape(us: number): number {
  const local = us + zoneOffsetUs(ZONE, us);
  const hour = (((local % US_PER_DAY) + US_PER_DAY) % US_PER_DAY) / US_PER_HOUR;
  return 0.97 + 0.53 * Math.sin(((hour - 8) / 24) * 2 * Math.PI);
}
