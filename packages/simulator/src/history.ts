import { US_PER_DAY, US_PER_MINUTE } from "@halvik/core/base/time";
import { pcapDatagram, pcapHeader } from "@halvik/core/decode/capture";
import type { SnmpCrypto } from "@halvik/core/decode/snmp";
import type { Device } from "./devices.js";
import { type Sent, storyAt, Timeline, type TimelineOptions } from "./timeline.js";

const COLLECTOR = "127.0.0.1";
const PORTS = { syslog: 514, snmp: 162, flow: 2055 } as const;
/** What is said in one minute may arrive later than what the next ones say: held back this long to come out in order. */
const HOLD_MINUTES = 15;

/** Everything that arrived until `untilUs`, in order. */
function* arrivals(untilUs: number, days: number, options: TimelineOptions, crypto: SnmpCrypto): Generator<Sent> {
  const timeline = new Timeline(options, crypto);
  const last = Math.floor(untilUs / US_PER_MINUTE);
  const first = last - Math.round((days * US_PER_DAY) / US_PER_MINUTE);
  let waiting: Sent[] = [];
  for (let minute = first; minute < last + HOLD_MINUTES; minute++) {
    if (minute < last) waiting.push(...timeline.minute(minute));
    waiting.sort((a, b) => a.arrivesUs - b.arrivesUs);
    const readyUs = (minute - HOLD_MINUTES) * US_PER_MINUTE;
    const due = waiting.findIndex((s) => s.arrivesUs >= readyUs);
    const ready = due < 0 ? waiting : waiting.slice(0, due);
    waiting = due < 0 ? [] : waiting.slice(due);
    for (const s of ready) if (s.arrivesUs < untilUs) yield s;
  }
  for (const s of waiting) if (s.arrivesUs < untilUs) yield s;
}

/** History in the two forms a machine beside the collector would have: datagrams, and each host's event log. */
export type HistoryPiece =
  | { readonly to: "capture"; readonly bytes: Uint8Array }
  | { readonly to: "events"; readonly device: Device; readonly bytes: Uint8Array };

export function* history(
  untilUs: number,
  days: number,
  options: TimelineOptions,
  crypto: SnmpCrypto,
): Generator<HistoryPiece> {
  yield { to: "capture", bytes: pcapHeader() };
  for (const s of arrivals(untilUs, days, options, crypto)) {
    if (s.protocol === "windows") yield { to: "events", device: s.device, bytes: s.payload };
    else {
      const port = PORTS[s.protocol];
      yield { to: "capture", bytes: pcapDatagram(s.arrivesUs, s.device.alias, port, COLLECTOR, port, s.payload) };
    }
  }
}

/** The stories planted in a span, with the minute each begins. */
export function plantedStories(
  untilUs: number,
  days: number,
  storyEveryMinutes: number,
): { readonly atUs: number; readonly name: string; readonly about: string }[] {
  const last = Math.floor(untilUs / US_PER_MINUTE);
  const out = [];
  for (let minute = last - Math.round((days * US_PER_DAY) / US_PER_MINUTE); minute < last; minute++) {
    const story = storyAt(minute, storyEveryMinutes);
    if (story) out.push({ atUs: minute * US_PER_MINUTE, name: story.name, about: story.about });
  }
  return out;
}
