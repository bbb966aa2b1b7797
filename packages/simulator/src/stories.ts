import { US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import { type Device, deviceNamed } from "./devices.js";
import { says, type WindowsSays } from "./events.js";
import type { SimFlow } from "./flows.js";
import { acceptedLogon, decided, linkChange, misconfigured, onBattery, refusedLogon, suRefused } from "./messages.js";
import { type Notification, notify } from "./notifications.js";
import { WEB_SERVER } from "./places.js";
import type { Random } from "./random.js";
import type { Said } from "./said.js";

/** A moment of a story: who says what, how long after the story's beginning. */
export interface Beat {
  readonly device: Device;
  readonly afterUs: number;
  readonly what:
    | { readonly kind: "message"; readonly said: Said }
    | { readonly kind: "event"; readonly event: WindowsSays }
    | { readonly kind: "notification"; readonly notification: Notification }
    | { readonly kind: "flows"; readonly flows: readonly SimFlow[] };
}

export interface Story {
  readonly name: string;
  /** What a person should find. */
  readonly about: string;
  readonly tell: (r: Random) => Beat[];
}

const message = (device: Device, afterUs: number, said: Said): Beat => ({
  device,
  afterUs,
  what: { kind: "message", said },
});
const event = (device: Device, afterUs: number, e: WindowsSays): Beat => ({
  device,
  afterUs,
  what: { kind: "event", event: e },
});
const notification = (device: Device, afterUs: number, n: Notification): Beat => ({
  device,
  afterUs,
  what: { kind: "notification", notification: n },
});

const GUESSED = ["admin", "root", "test", "oracle", "backup", "k.lind", "r.moe", "p.berg", "a.solli"] as const;
const ATTACKERS = ["203.0.113.9", "198.51.100.200", "192.0.2.151"] as const;

const guess = (r: Random, from: string, tries: number): Beat[] => {
  const beats: Beat[] = [];
  let at = 0;
  for (let i = 0; i < tries; i++) {
    at += r.int(400, 4_000) * 1_000;
    beats.push(message(deviceNamed("vpn-1"), at, refusedLogon(r, from, r.pick(GUESSED))));
  }
  return beats;
};

/** The address the intruder comes from, and the account it makes. */
const INTRUDER = "203.0.113.66";
const PLANTED = "svc-print";
const VPN_ADDRESS = "10.20.1.12";

const bigFlow = (dst: string, bytes: number): SimFlow => ({
  src: "10.20.1.19",
  dst,
  srcPort: 49_733,
  dstPort: 443,
  protocol: 6,
  bytes,
  packets: Math.round(bytes / 1_300),
  ingress: 2,
  egress: 1,
  tos: 0,
  tcpFlags: 0x1b,
  endUs: 0,
  durationUs: 55 * US_PER_SECOND,
});

/** Scan, guessing, a logon that works, privileges, an account, a service, data going out, a log cleared. */
const intrusion = (r: Random): Beat[] => {
  const beats: Beat[] = [];
  const edge = deviceNamed("fw-edge-a");
  for (const [i, dstPort] of [
    21, 22, 23, 25, 80, 110, 135, 139, 443, 445, 1433, 3306, 3389, 5432, 5900, 8080, 8443,
  ].entries())
    beats.push(
      message(
        edge,
        i * 350_000,
        decided(edge, r, {
          action: "deny",
          src: INTRUDER,
          dst: WEB_SERVER.outside,
          srcPort: 50_000 + i,
          dstPort,
          protocol: "tcp",
          policy: "edge-in-9",
        }),
      ),
    );
  const guesses = guess(r, INTRUDER, 24).map((b) => ({ ...b, afterUs: b.afterUs + 20 * US_PER_SECOND }));
  beats.push(...guesses);
  let at = guesses[guesses.length - 1]!.afterUs + 31 * US_PER_SECOND;
  const after = (seconds: number) => {
    at += seconds * US_PER_SECOND;
    return at;
  };
  beats.push(message(deviceNamed("vpn-1"), at, acceptedLogon(r, INTRUDER, "k.lind")));
  const dc = deviceNamed("dc-1");
  const files = deviceNamed("files-1");
  beats.push(event(dc, after(12), says.logon("k.lind", VPN_ADDRESS, "3")));
  beats.push(event(dc, after(1), says.privileges("k.lind")));
  beats.push(event(dc, after(40), says.created("k.lind", PLANTED)));
  beats.push(event(dc, after(6), says.joined("k.lind", PLANTED, "Administrators")));
  beats.push(event(files, after(25), says.logon(PLANTED, VPN_ADDRESS, "10")));
  beats.push(event(files, after(9), says.service("PrintHelper", "C:\\Users\\Public\\ph.exe")));
  for (let i = 0; i < 6; i++)
    beats.push({
      device: deviceNamed("rt-orvane"),
      afterUs: after(20),
      what: { kind: "flows", flows: [bigFlow(INTRUDER, 180_000_000 + r.int(0, 9) * 1_000_000)] },
    });
  beats.push(event(dc, after(30), says.cleared(PLANTED)));
  return beats;
};

/** The radio link to Hestnes goes: traps, messages, and everything behind it silent for `OUTAGE_US` (see `isSilenced`). */
const outage = (): Beat[] => {
  const router = deviceNamed("rt-orvane");
  const core = deviceNamed("core-orvane");
  const up = OUTAGE_US;
  return [
    notification(core, 0, notify.link(30, "te1/30 to Hestnes", false)),
    message(core, 200_000, linkChange("te1/30", false)),
    notification(router, 2 * US_PER_SECOND, notify.bgpLost("10.20.255.3")),
    message(router, 3 * US_PER_SECOND, {
      facility: 23,
      severity: 4,
      app: "ospf",
      text: "adjacency with 10.20.255.3 went from full to down",
    }),
    notification(core, up, notify.link(30, "te1/30 to Hestnes", true)),
    message(core, up + 200_000, linkChange("te1/30", true)),
    notification(router, up + 4 * US_PER_SECOND, notify.bgpBack("10.20.255.3")),
    message(router, up + 5 * US_PER_SECOND, {
      facility: 23,
      severity: 5,
      app: "ospf",
      text: "adjacency with 10.20.255.3 went from loading to full",
    }),
  ];
};
export const OUTAGE_SITE = "Hestnes";
export const OUTAGE_US = 12 * US_PER_MINUTE;

/** Someone outside guesses passwords at the VPN and gets nowhere. */
const guessing = (r: Random): Beat[] => guess(r, r.pick(ATTACKERS), r.int(14, 46));

/** A port goes down and up again and again, told by syslog and by trap. */
const flapping = (r: Random): Beat[] => {
  const device = deviceNamed(r.pick(["sw-hestnes-2", "sw-lysgrund-1", "sw-brisling"]));
  const index = r.pick([7, 12, 24]);
  const port = `ge0/${index}`;
  const beats: Beat[] = [];
  let at = 0;
  const turn = (up: boolean) => {
    beats.push(message(device, at, linkChange(port, up)));
    beats.push(notification(device, at + 30_000, notify.link(index, port, up)));
  };
  for (let i = r.int(4, 9); i > 0; i--) {
    at += r.int(4, 22) * US_PER_SECOND;
    turn(false);
    at += r.int(2, 9) * US_PER_SECOND;
    turn(true);
  }
  return beats;
};

/** Power fails at Torvika: the supply says so by trap every 30 s and by syslog, then that it is over. */
const power = (r: Random): Beat[] => {
  const ups = deviceNamed("ups-torvika");
  const beats: Beat[] = [];
  const left = r.int(36, 44);
  for (let i = 0; i < 6; i++) {
    beats.push(notification(ups, i * 30 * US_PER_SECOND, notify.onBattery(left - i * 2, i * 30)));
    beats.push(message(ups, i * 30 * US_PER_SECOND + 400_000, onBattery(left - i * 2)));
  }
  beats.push(notification(ups, 150 * US_PER_SECOND, notify.alarm(1, true)));
  beats.push(notification(ups, 190 * US_PER_SECOND, notify.alarm(1, false)));
  return beats;
};

/** Somebody tries to become root. */
const su = (r: Random): Beat[] => {
  const device = deviceNamed(r.pick(["gate-lysgrund", "gate-hestnes", "gate-torvika"]));
  const user = r.pick(["t.vik", "s.dahl"]);
  return Array.from({ length: r.int(3, 5) }, (_, i) => message(device, i * 7 * US_PER_SECOND, suRefused(r, user)));
};

/** A camera with a wrong time server says so hundreds of times. */
const chatty = (r: Random): Beat[] =>
  Array.from({ length: r.int(220, 320) }, (_, i) =>
    message(deviceNamed("cctv-lysgrund"), i * 700_000, misconfigured(i)),
  );

/** A crane reports loads by its maker's notifications, a door controller by ones that nobody has named. */
const crane = (r: Random): Beat[] => {
  const device = deviceNamed("crane-lysgrund");
  return Array.from({ length: r.int(3, 6) }, (_, i) =>
    notification(
      device,
      i * 11 * US_PER_SECOND,
      i % 3 === 2 ? notify.unnamed(r.int(1, 90)) : notify.crane(r.int(18, 25)),
    ),
  );
};

/** What there is to find, in the order in which it happens over and over. */
export const STORIES: readonly Story[] = [
  { name: "guessing", about: "passwords guessed at vpn-1 from one address, without success", tell: guessing },
  { name: "flapping", about: "one port goes down and up again and again, by syslog and trap", tell: flapping },
  {
    name: "intrusion",
    about: `${INTRUDER} scans the edge, guesses at vpn-1, gets in as k.lind, makes ${PLANTED} an administrator, installs a service on files-1, takes data out, clears the log of dc-1`,
    tell: intrusion,
  },
  { name: "power", about: "ups-torvika runs on battery, then is on mains again", tell: power },
  { name: "chatty", about: "cctv-lysgrund says hundreds of times that its time server does not answer", tell: chatty },
  {
    name: "outage",
    about: `the link to ${OUTAGE_SITE} is down for 12 min: trap, syslog, silence and no flows from there`,
    tell: outage,
  },
  { name: "su", about: "someone tries to become root on a gate computer", tell: su },
  {
    name: "crane",
    about: "crane-lysgrund sends its maker's notifications, and one kind nobody has named",
    tell: crane,
  },
];
