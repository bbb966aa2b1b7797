import { pcapDatagram, pcapHeader } from "@halvik/core/capture";
import { US_PER_DAY, US_PER_MINUTE } from "@halvik/core/time";
import { minuteOf, type Sent, type TimelineOptions } from "./timeline.js";

const COLLECTOR = "127.0.0.1";
const SYSLOG_PORT = 514;
/** Messages of one minute may arrive later than those of the next ones: held back this long to come out in order. */
const HOLD_MINUTES = 15;

/** History as a capture: what a machine beside the collector would have recorded until `untilUs`. */
export function* historyCapture(untilUs: number, days: number, options: TimelineOptions): Generator<Uint8Array> {
  yield pcapHeader();
  const last = Math.floor(untilUs / US_PER_MINUTE);
  const first = last - Math.round((days * US_PER_DAY) / US_PER_MINUTE);
  const encoder = new TextEncoder();
  let waiting: Sent[] = [];
  for (let minute = first; minute < last + HOLD_MINUTES; minute++) {
    if (minute < last) waiting.push(...minuteOf(minute, options));
    waiting.sort((a, b) => a.arrivesUs - b.arrivesUs);
    const readyUs = (minute - HOLD_MINUTES) * US_PER_MINUTE;
    const due = waiting.findIndex((s) => s.arrivesUs >= readyUs);
    const ready = due < 0 ? waiting : waiting.slice(0, due);
    waiting = due < 0 ? [] : waiting.slice(due);
    for (const s of ready)
      if (s.arrivesUs < untilUs)
        yield pcapDatagram(s.arrivesUs, s.device.alias, 514, COLLECTOR, SYSLOG_PORT, encoder.encode(s.line));
  }
  for (const s of waiting)
    if (s.arrivesUs < untilUs)
      yield pcapDatagram(s.arrivesUs, s.device.alias, 514, COLLECTOR, SYSLOG_PORT, encoder.encode(s.line));
}
