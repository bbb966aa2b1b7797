import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND, zoneOffsetUs } from "@halvik/core/base/time";
import type { SnmpCrypto } from "@halvik/core/decode/snmp";
import { DEVICES, type Device, ZONE } from "./devices.js";
import { eventXml, ordinaryEvent, type WindowsSays } from "./events.js";
import { FlowWriter, ordinaryFlow, type SimFlow, telemetryFlow } from "./flows.js";
import { habitualFlows } from "./habits.js";
import { ordinary } from "./messages.js";
import { type Notification, NotificationWriter, notify } from "./notifications.js";
import { Random } from "./random.js";
import { type Beat, OUTAGE_SITE, OUTAGE_US, STORIES, type Story } from "./stories.js";
import { writeLine } from "./write.js";

/** Something on its way: when it reaches the collector, and the bytes. */
export interface Sent {
  readonly device: Device;
  readonly arrivesUs: number;
  readonly protocol: "syslog" | "snmp" | "flow" | "windows";
  readonly payload: Uint8Array;
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
/** Chance that a device speaks by SNMP in an ordinary minute. */
const NOTIFICATION_CHANCE = 0.02;

const encoder = new TextEncoder();

/** The story that begins in a minute, or null. */
export function storyAt(minute: number, storyEveryMinutes: number): Story | null {
  return minute % storyEveryMinutes === 0 ? STORIES[Math.floor(minute / storyEveryMinutes) % STORIES.length]! : null;
}

/**
 * Everything the devices send, minute by minute. What is said is a pure function of seed and minute: history and live stand-ins
 * tell the same stories. Numbers that count up (of datagrams, of events) go on from minute to minute.
 */
export class Timeline {
  private readonly flows = new FlowWriter();
  private readonly notifications: NotificationWriter;

  constructor(
    private readonly options: TimelineOptions,
    crypto: SnmpCrypto,
  ) {
    this.notifications = new NotificationWriter(crypto);
  }

  /** Everything sent because of one minute, in order of arrival; a story that begins in it is given whole. */
  minute(minute: number): Sent[] {
    const startUs = minute * US_PER_MINUTE;
    const out: Sent[] = [];
    for (const device of DEVICES) {
      const r = new Random(this.options.seed, minute, device.name);
      const mean = (device.perHour / 60) * dayShape(startUs) * this.options.rate;
      for (let i = r.poisson(mean); i > 0; i--) {
        const atUs = startUs + r.int(0, 59_999_999);
        if (device.role === "windows server") this.add(out, device, atUs, this.event(device, ordinaryEvent(r), atUs));
        else
          this.add(out, device, atUs, {
            protocol: "syslog",
            payload: encoder.encode(writeLine(device, ordinary(device, r), atUs)),
          });
      }
      this.ordinaryNotifications(device, r, startUs, out);
      this.ordinaryFlows(device, minute, startUs, out);
    }
    const story = storyAt(minute, this.options.storyEveryMinutes);
    if (story) {
      const r = new Random(this.options.seed, minute, "story");
      for (const beat of story.tell(r)) this.tell(beat, startUs, out);
    }
    return out.sort((a, b) => a.arrivesUs - b.arrivesUs);
  }

  private ordinaryNotifications(device: Device, r: Random, startUs: number, out: Sent[]): void {
    if (device.snmp === null || !r.chance(NOTIFICATION_CHANCE * this.options.rate)) return;
    const atUs = startUs + r.int(0, 50_000_000);
    const index = r.int(1, 24);
    const tell = (what: Notification, us: number) =>
      this.add(out, device, us, { protocol: "snmp", payload: this.notifications.write(device, what, us) });
    if (device.role === "ups" || device.role === "crane control" || r.chance(0.1)) {
      tell(notify.authenticationFailure(), atUs);
      return;
    }
    // somebody pulls a plug and puts it in again
    tell(notify.link(index, `ge0/${index}`, false), atUs);
    tell(notify.link(index, `ge0/${index}`, true), atUs + r.int(2_000_000, 60_000_000));
  }

  private ordinaryFlows(device: Device, minute: number, startUs: number, out: Sent[]): void {
    if (device.flows === null) return;
    const r = new Random(this.options.seed, minute, device.name, "flows");
    const atUs = startUs + 55 * US_PER_SECOND + r.int(0, 4_000_000);
    const count = r.poisson(device.flows.perMinute * dayShape(startUs) * this.options.rate);
    const flows: SimFlow[] = [];
    for (let i = 0; i < count; i++) flows.push(ordinaryFlow(device, r, atUs));
    if (device.role === "ship gateway") flows.push(telemetryFlow(device, r, atUs));
    flows.push(...habitualFlows(device, this.options.seed, minute));
    for (const payload of this.flows.write(device, flows, atUs))
      this.add(out, device, atUs, { protocol: "flow", payload });
  }

  private tell(beat: Beat, startUs: number, out: Sent[]): void {
    const { device, what } = beat;
    const atUs = startUs + beat.afterUs;
    switch (what.kind) {
      case "message":
        this.add(out, device, atUs, {
          protocol: "syslog",
          payload: encoder.encode(writeLine(device, what.said, atUs)),
        });
        break;
      case "event":
        this.add(out, device, atUs, this.event(device, what.event, atUs));
        break;
      case "notification":
        this.add(out, device, atUs, {
          protocol: "snmp",
          payload: this.notifications.write(device, what.notification, atUs),
        });
        break;
      case "flows": {
        const flows = what.flows.map((f) => ({ ...f, endUs: atUs - US_PER_SECOND }));
        for (const payload of this.flows.write(device, flows, atUs))
          this.add(out, device, atUs, { protocol: "flow", payload });
      }
    }
  }

  /** A record id that counts up, whoever asks, and is no other event's: the event's own microsecond. */
  private event(device: Device, event: WindowsSays, atUs: number): Pick<Sent, "protocol" | "payload"> {
    return { protocol: "windows", payload: encoder.encode(eventXml(device, event, atUs, Math.floor(atUs))) };
  }

  private add(out: Sent[], device: Device, atUs: number, what: Pick<Sent, "protocol" | "payload">): void {
    if (!this.isSilenced(device, atUs)) out.push({ device, arrivesUs: arrival(device, atUs), ...what });
  }

  /** Whether a device is cut off by the outage story. */
  private isSilenced(device: Device, atUs: number): boolean {
    if (device.site !== OUTAGE_SITE) return false;
    const { storyEveryMinutes } = this.options;
    const every = storyEveryMinutes * STORIES.length;
    const offset = STORIES.findIndex((s) => s.name === "outage") * storyEveryMinutes;
    const since = (((Math.floor(atUs / US_PER_MINUTE) - offset) % every) + every) % every;
    return since * US_PER_MINUTE + (atUs % US_PER_MINUTE) < OUTAGE_US;
  }
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
