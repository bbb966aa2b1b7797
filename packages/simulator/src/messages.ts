import { type Decision, firewallSays, ordinaryDecision } from "./decisions.js";
import type { Device, Role } from "./devices.js";
import { deskOf, homeOf, inside, PEOPLE } from "./places.js";
import type { Random } from "./random.js";
import type { Said } from "./said.js";

const AUTH = 4;
const AUTHPRIV = 10;
const DAEMON = 3;
const KERN = 0;
const CRON = 9;
const MAIL = 2;
const LOCAL0 = 16;
const LOCAL7 = 23;

const answered = (r: Random): Said => ({
  facility: DAEMON,
  severity: 6,
  app: "resolver",
  process: 812,
  messageId: "QUERY",
  text: `${inside(r)} asked for ${r.pick(["tickets", "times", "mail", "weather", "files", "crew"])}.orvane.example: answered in ${r.int(0, 38)} ms`,
});

/** Everybody's desk has its address and its machine. */
const lease = (person: string): Said => {
  const desk = deskOf(person);
  const number = desk.split(".")[3]!;
  const mac = `02:00:5e:10:00:${Number(number).toString(16).padStart(2, "0")}`;
  return {
    facility: DAEMON,
    severity: 6,
    app: "dhcpd",
    process: 640,
    text: `DHCPACK on ${desk} to ${mac} (desk-${number}) via eth1`,
  };
};

/** One ordinary message of a device. */
export function ordinary(device: Device, r: Random): Said {
  if (device.role === "windows server") throw new Error(`${device.name} speaks in events, not in messages`);
  return SAYS[device.role](r, device);
}

const SAYS: Readonly<Record<Exclude<Role, "windows server">, (r: Random, d: Device) => Said>> = {
  firewall: (r, d) => firewallSays(d, r, ordinaryDecision(r)),
  vpn: (r) => {
    const user = r.pick(PEOPLE);
    const from = r.chance(0.3) ? deskOf(user) : homeOf(user);
    const port = r.int(49152, 65000);
    const process = r.int(900, 32000);
    if (r.chance(0.06))
      return {
        facility: AUTHPRIV,
        severity: 5,
        app: "sshd",
        process,
        text: `Failed password for ${user} from ${from} port ${port} ssh2`,
      };
    if (r.chance(0.45))
      return {
        facility: AUTHPRIV,
        severity: 6,
        app: "sshd",
        process,
        text: `Accepted publickey for ${user} from ${from} port ${port} ssh2`,
      };
    return { facility: AUTHPRIV, severity: 6, app: "sshd", process, text: `session closed for user ${user}` };
  },
  "core switch": (r) =>
    r.chance(0.3)
      ? {
          facility: LOCAL7,
          severity: 6,
          app: "mac",
          text: `address table: ${r.int(310, 420)} entries, ${r.int(0, 9)} moved`,
        }
      : {
          facility: LOCAL7,
          severity: 6,
          app: "stp",
          text: `vlan ${r.pick([10, 20, 30, 40])}: topology unchanged for ${r.int(2, 900)} min`,
        },
  switch: (r) => {
    if (r.chance(0.06))
      return {
        facility: LOCAL7,
        severity: 5,
        app: "link",
        text: `Interface ge0/${r.int(1, 24)}, changed state to ${r.pick(["up", "up", "down"])}`,
      };
    if (r.chance(0.4))
      return {
        facility: LOCAL7,
        severity: 6,
        app: "poe",
        text: `port ge0/${r.int(1, 24)} draws ${r.int(2, 14)}.${r.int(0, 9)} W`,
      };
    return { facility: LOCAL7, severity: 7, app: "lldp", text: `neighbour on ge0/${r.int(1, 24)} unchanged` };
  },
  router: (r) =>
    r.chance(0.04)
      ? {
          facility: LOCAL7,
          severity: 4,
          app: "ospf",
          text: `adjacency with 10.20.255.${r.int(1, 6)} went from full to init`,
        }
      : {
          facility: LOCAL7,
          severity: 6,
          app: "ospf",
          text: `area 0: ${r.int(20, 26)} routes, last run took ${r.int(2, 9)} ms`,
        },
  "linux server": (r, d) => {
    const process = r.int(400, 60000);
    const user = r.pick(PEOPLE);
    switch (r.int(0, 7)) {
      case 0:
        return {
          facility: CRON,
          severity: 6,
          app: "CRON",
          process,
          text: `(root) CMD (/usr/local/bin/${r.pick(["rotate", "sync-times", "check-disk", "mirror"])})`,
        };
      case 1:
        return {
          facility: AUTHPRIV,
          severity: 5,
          app: "sudo",
          text: `${user} : TTY=pts/${r.int(0, 3)} ; PWD=/home/${user} ; USER=root ; COMMAND=/usr/bin/systemctl status`,
        };
      case 2:
        return {
          facility: AUTHPRIV,
          severity: 6,
          app: "sshd",
          process,
          text: `Accepted publickey for ${user} from ${deskOf(user)} port ${r.int(49152, 65000)} ssh2`,
        };
      case 3:
        return d.name === "mail-1"
          ? {
              facility: MAIL,
              severity: 6,
              app: "smtp",
              process,
              text: `to=<${user}@orvane.example>, relay=mx.orvane.example, delay=${r.int(0, 4)}.${r.int(0, 9)}, status=sent`,
            }
          : {
              facility: DAEMON,
              severity: 6,
              app: "systemd",
              process: 1,
              text: `Started Session ${r.int(100, 9999)} of User ${user}.`,
            };
      case 4:
        return r.chance(0.06)
          ? {
              facility: DAEMON,
              severity: 3,
              app: "systemd",
              process: 1,
              text: `Failed to start ${r.pick(["mirror.service", "sync-times.service", "report.service"])}.`,
            }
          : {
              facility: DAEMON,
              severity: 6,
              app: "systemd",
              process: 1,
              text: "Started Daily clean-up of temporary directories.",
            };
      case 5:
        return {
          facility: KERN,
          severity: r.chance(0.02) ? 3 : 6,
          app: "kernel",
          text: r.chance(0.5) ? `eth0: ${r.int(80, 99)} % of ring in use` : "nfs: server files-1 answers again",
        };
      default:
        return {
          facility: DAEMON,
          severity: 6,
          app: "agent",
          process,
          messageId: "HEARTBEAT",
          data: `[load@32473 one="0.${r.int(10, 95)}" memory="${r.int(30, 88)}"]`,
          text: "all checks passed",
        };
    }
  },
  ticketing: (r) => {
    const process = r.int(2000, 9000);
    const harbour = r.pick(["Orvane", "Lysgrund", "Hestnes", "Torvika"]);
    if (r.chance(0.015))
      return {
        facility: LOCAL0,
        severity: 3,
        app: "tickets",
        process,
        messageId: "PAY",
        data: `[sale@32473 terminal="${r.int(1, 14)}"]`,
        text: `card terminal ${r.int(1, 14)} did not answer within 8 s`,
      };
    return {
      facility: LOCAL0,
      severity: 6,
      app: "tickets",
      process,
      messageId: "SALE",
      data: `[sale@32473 terminal="${r.int(1, 14)}" seats="${r.int(1, 5)}"]`,
      text: `sold ${r.int(1, 5)} to ${harbour}, sailing ${String(r.int(6, 22)).padStart(2, "0")}:${r.pick(["00", "20", "40"])}`,
    };
  },
  camera: (r) => ({
    facility: LOCAL0,
    severity: r.chance(0.02) ? 4 : 6,
    app: "video",
    text: r.chance(0.5)
      ? `stream ${r.int(1, 8)}: ${r.int(22, 25)} frames/s, ${r.int(2, 6)}.${r.int(0, 9)} Mb/s`
      : `motion in zone ${r.int(1, 6)}`,
  }),
  ups: (r) => ({
    facility: DAEMON,
    severity: 6,
    app: "ups",
    text: `input ${r.int(226, 234)} V, load ${r.int(18, 41)} %, battery 100 %`,
  }),
  wifi: (r) => ({
    facility: LOCAL7,
    severity: 6,
    app: "wlan",
    text: `client 02:00:5e:${hex(r)}:${hex(r)}:${hex(r)} ${r.pick(["joined", "left", "moved to"])} ${r.pick(["guest", "crew", "office"])}, signal -${r.int(44, 82)} dBm`,
  }),
  dns: (r) => (r.chance(0.12) ? lease(r.pick(PEOPLE)) : answered(r)),
  "ship gateway": (r) => ({
    facility: LOCAL7,
    severity: 6,
    app: "uplink",
    messageId: "QUALITY",
    data: `[radio@32473 rssi="-${r.int(52, 79)}"]`,
    text: `radio ${r.pick(["A", "B"])}: ${r.int(11, 54)} Mb/s, loss ${r.int(0, 2)} %`,
  }),
  printer: (r) => ({
    facility: LOCAL0,
    severity: r.chance(0.1) ? 4 : 6,
    app: "print",
    text: r.chance(0.1) ? "paper low in tray 2" : `job ${r.int(100, 999)}: ${r.int(1, 20)} pages`,
  }),
  "radio link": (r) => ({
    facility: LOCAL7,
    severity: 6,
    app: "radio",
    text: `to Orvane: ${r.int(170, 240)} Mb/s, margin ${r.int(9, 18)} dB`,
  }),
  "crane control": (r) => ({
    facility: LOCAL0,
    severity: 6,
    app: "crane",
    process: 77,
    messageId: "MOVE",
    text: `lift ${r.int(1000, 9999)}: ${r.int(2, 24)} t, ${r.int(20, 90)} s`,
  }),
};

const hex = (r: Random): string => r.int(0, 255).toString(16).padStart(2, "0");

export const refusedLogon = (r: Random, from: string, user: string): Said => ({
  facility: AUTHPRIV,
  severity: 5,
  app: "sshd",
  process: r.int(900, 32000),
  text: `Failed password for ${r.chance(0.6) ? "invalid user " : ""}${user} from ${from} port ${r.int(49152, 65000)} ssh2`,
});
export const acceptedLogon = (r: Random, from: string, user: string): Said => ({
  facility: AUTHPRIV,
  severity: 5,
  app: "sshd",
  process: r.int(900, 32000),
  text: `Accepted password for ${user} from ${from} port ${r.int(49152, 65000)} ssh2`,
});
export const linkChange = (port: string, up: boolean): Said => ({
  facility: LOCAL7,
  severity: up ? 5 : 3,
  app: "link",
  text: `Interface ${port}, changed state to ${up ? "up" : "down"}`,
});
export const onBattery = (minutes: number): Said => ({
  facility: DAEMON,
  severity: minutes < 30 ? 2 : 4,
  app: "ups",
  text: `on battery: ${minutes} min left at this load, input 0 V`,
});
export const suRefused = (r: Random, user: string): Said => ({
  facility: AUTH,
  severity: 4,
  app: "su",
  text: `'su root' failed for ${user} on /dev/pts/${r.int(0, 9)}`,
});

export const decided = (device: Device, r: Random, decision: Decision): Said => firewallSays(device, r, decision);
export const misconfigured = (n: number): Said => ({
  facility: LOCAL0,
  severity: 4,
  app: "video",
  text: `time server 10.20.9.9 did not answer; stream ${1 + (n % 8)} keeps its own clock`,
});
