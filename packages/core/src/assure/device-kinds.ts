import type { RecordKind } from "../model/record/index.js";

/** What a device of a kind sends in an hour, on an ordinary day. */
export interface DeviceKind {
  readonly name: string;
  readonly sends: readonly { readonly kind: RecordKind; readonly anHour: number }[];
}

/**
 * How much devices send, to plan with before they do. Measured on the stand-in devices of the demo at four times its rate, one hour of working
 * time and rest together (`docs/figures.md`); real ones differ tenfold, and are measured as soon as they send.
 */
export const DEVICE_KINDS: readonly DeviceKind[] = [
  { name: "Linux server", sends: [{ kind: "syslog", anHour: 150 }] },
  { name: "Windows server", sends: [{ kind: "windows", anHour: 870 }] },
  { name: "domain controller", sends: [{ kind: "windows", anHour: 8_700 }] },
  {
    name: "firewall, what it refuses",
    sends: [{ kind: "firewall", anHour: 920 }],
  },
  // each session once when it begins and once when it ends, of a hundred people (common practice, no source)
  { name: "firewall, every session", sends: [{ kind: "firewall", anHour: 60_000 }] },
  {
    name: "switch",
    sends: [
      { kind: "syslog", anHour: 62 },
      { kind: "snmp", anHour: 9 },
    ],
  },
  {
    name: "router with flow export",
    sends: [
      { kind: "syslog", anHour: 100 },
      { kind: "snmp", anHour: 8 },
      { kind: "flow", anHour: 2_950 },
    ],
  },
  { name: "core switch with flow export", sends: [{ kind: "flow", anHour: 4_800 }] },
  { name: "DNS server, every question", sends: [{ kind: "syslog", anHour: 18_000 }] },
  { name: "DNS server, its own messages", sends: [{ kind: "syslog", anHour: 440 }] },
  { name: "wireless access point", sends: [{ kind: "syslog", anHour: 200 }] },
  { name: "VPN gateway", sends: [{ kind: "syslog", anHour: 450 }] },
  { name: "UPS, printer, camera", sends: [{ kind: "syslog", anHour: 90 }] },
];
