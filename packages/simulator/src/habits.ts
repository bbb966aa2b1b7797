import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import { type Device, deviceNamed } from "./devices.js";
import type { SimFlow } from "./flows.js";
import { OUTSIDE } from "./places.js";
import { Random } from "./random.js";

/** Assured forwarding, class 4, low drop (RFC 2597), and class selector 1 (RFC 2474), as the octet has them. */
const AF41 = 34 << 2;
const CS1 = 8 << 2;

/** A conversation that goes on by the minute, as every exporter on its way tells of it. */
interface Habit {
  /** Exporters on its way, in its direction, each with the marking it sees. */
  readonly way: readonly (readonly [exporter: string, tos: number])[];
  readonly ends: (day: number) => Pick<SimFlow, "src" | "dst" | "srcPort" | "dstPort" | "protocol">;
  readonly bytesPerMinute: number;
  /** Hours of the day (UTC) it goes on; none: all. */
  readonly hours?: readonly [from: number, to: number];
}

const address = (name: string): string => deviceNamed(name).address;

/** What a practitioner finds on Traffic: a link filled at night, a talkative camera, a way back that is another one, peers that change. */
const HABITS: readonly Habit[] = [
  // the night's backup to the other shore fills the link to Hestnes; its marking is cleared at the router
  {
    way: [
      ["core-orvane", CS1],
      ["rt-orvane", 0],
    ],
    ends: (day) => ({
      src: address("backup-1"),
      dst: "10.20.3.40",
      srcPort: 40_000 + (day % 20_000),
      dstPort: 873,
      protocol: 6,
    }),
    bytesPerMinute: 560_000_000,
    hours: [1, 2.5],
  },
  // a camera that never sleeps; the terminal marks it, the next router forgets the marking
  {
    way: [
      ["rt-hestnes", AF41],
      ["rt-orvane", 0],
    ],
    ends: () => ({ src: address("cctv-hestnes"), dst: "10.20.1.60", srcPort: 554, dstPort: 47_554, protocol: 17 }),
    bytesPerMinute: 24_000_000,
  },
  // it goes out by the router and comes back by the core: no exporter sees both
  {
    way: [["rt-orvane", 0]],
    ends: () => ({ src: "10.20.1.31", dst: "203.0.113.140", srcPort: 51_820, dstPort: 51_820, protocol: 17 }),
    bytesPerMinute: 3_000_000,
  },
  {
    way: [["core-orvane", 0]],
    ends: () => ({ src: "203.0.113.140", dst: "10.20.1.31", srcPort: 51_820, dstPort: 51_820, protocol: 17 }),
    bytesPerMinute: 900_000,
  },
  // a kiosk that has another friend every day
  {
    way: [["rt-lysgrund", 0]],
    ends: (day) => ({
      src: address("kiosk-lysgrund-2"),
      dst: OUTSIDE[day % OUTSIDE.length]!,
      srcPort: 45_000 + (day % 1_000),
      dstPort: 443,
      protocol: 6,
    }),
    bytesPerMinute: 1_500_000,
    hours: [6, 20],
  },
];

/** Before any exporter tells of the minute, so that all tell of the same. */
const LASTS_US = 54 * US_PER_SECOND;

/** What a device tells of standing traffic in a minute. */
export function habitualFlows(device: Device, seed: number, minute: number): SimFlow[] {
  const startUs = minute * US_PER_MINUTE;
  const hour = (startUs % US_PER_DAY) / US_PER_HOUR;
  const day = Math.floor(startUs / US_PER_DAY);
  return HABITS.flatMap(({ way, ends, bytesPerMinute, hours }, i) => {
    const seen = way.find(([exporter]) => exporter === device.name);
    if (seen === undefined || (hours !== undefined && (hour < hours[0] || hour >= hours[1]))) return [];
    // the same on every exporter of its way
    const bytes = Math.round(bytesPerMinute * (0.9 + 0.2 * new Random(seed, minute, "habit", i).next()));
    return [
      {
        ...ends(day),
        bytes,
        packets: Math.ceil(bytes / 1_200),
        ingress: 2,
        egress: 1,
        tos: seen[1],
        tcpFlags: 0x18,
        endUs: startUs + LASTS_US,
        durationUs: LASTS_US,
      },
    ];
  });
}
