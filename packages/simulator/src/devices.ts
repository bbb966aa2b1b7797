/** What a device is; its messages go by this. */
export type Role =
  | "firewall"
  | "vpn"
  | "core switch"
  | "switch"
  | "router"
  | "linux server"
  | "windows server"
  | "ticketing"
  | "camera"
  | "ups"
  | "wifi"
  | "dns"
  | "ship gateway"
  | "printer"
  | "radio link"
  | "crane control";

/** A device of Orvane Ferries, an invented company. */
export interface Device {
  readonly name: string;
  readonly role: Role;
  readonly site: string;
  readonly groups: readonly string[];
  /** Its address in the company's network. */
  readonly address: string;
  /** The loopback address its stand-in sends from: an alias of the sender, as anyone can set one. */
  readonly alias: string;
  readonly format: "RFC 5424" | "RFC 3164";
  /** How its syslog travels; Windows events go over HTTPS. */
  readonly transport: "udp" | "tcp" | "tls";
  /** It exports flows by this protocol, about so many a minute. */
  readonly flows: { readonly protocol: FlowExport; readonly perMinute: number } | null;
  /** It sends SNMP notifications this way. */
  readonly snmp: "v1" | "v2c" | "v2c inform" | "v3" | null;
  readonly reachedThrough: string | null;
  /** Ordinary messages an hour, by day. */
  readonly perHour: number;
  /** Its clock is this much ahead, in seconds. */
  readonly clockAheadSeconds: number;
}

export type FlowExport = "NetFlow v5" | "NetFlow v9" | "IPFIX" | "sFlow v5";

const FLOWS: Readonly<Record<string, Device["flows"]>> = {
  "rt-orvane": { protocol: "NetFlow v9", perMinute: 24 },
  "core-orvane": { protocol: "IPFIX", perMinute: 16 },
  "sw-orvane-1": { protocol: "sFlow v5", perMinute: 6 },
  "rt-lysgrund": { protocol: "NetFlow v5", perMinute: 6 },
  "rt-hestnes": { protocol: "NetFlow v5", perMinute: 5 },
  "rt-torvika": { protocol: "NetFlow v5", perMinute: 4 },
  "gw-brisling": { protocol: "IPFIX", perMinute: 3 },
  "gw-sandlo": { protocol: "IPFIX", perMinute: 3 },
};

const SNMP: Readonly<Partial<Record<Role, Device["snmp"]>>> = {
  "core switch": "v2c inform",
  switch: "v2c",
  router: "v3",
  ups: "v1",
  "crane control": "v2c",
};

export const ZONE = "Europe/Oslo";

interface Site {
  readonly name: string;
  readonly net: number;
  readonly devices: readonly (readonly [name: string, role: Role, perHour: number])[];
}

const SITES: readonly Site[] = [
  {
    name: "Orvane",
    net: 1,
    devices: [
      ["fw-edge-a", "firewall", 420],
      ["fw-edge-b", "firewall", 160],
      ["vpn-1", "vpn", 90],
      ["core-orvane", "core switch", 30],
      ["rt-orvane", "router", 24],
      ["sw-orvane-1", "switch", 14],
      ["sw-orvane-2", "switch", 14],
      ["sw-orvane-3", "switch", 12],
      ["dc-1", "windows server", 300],
      ["files-1", "windows server", 120],
      ["files-2", "windows server", 110],
      ["mail-1", "linux server", 90],
      ["backup-1", "linux server", 30],
      ["dns-1", "dns", 110],
      ["dns-2", "dns", 70],
      ["tickets-1", "ticketing", 150],
      ["tickets-2", "ticketing", 130],
      ["wifi-orvane", "wifi", 70],
      ["print-orvane", "printer", 6],
      ["ups-orvane", "ups", 4],
      ["cctv-orvane", "camera", 20],
    ],
  },
  {
    name: "Lysgrund",
    net: 2,
    devices: [
      ["rt-lysgrund", "router", 20],
      ["fw-lysgrund", "firewall", 90],
      ["sw-lysgrund-1", "switch", 12],
      ["sw-lysgrund-2", "switch", 12],
      ["kiosk-lysgrund-1", "ticketing", 40],
      ["kiosk-lysgrund-2", "ticketing", 36],
      ["cctv-lysgrund", "camera", 90],
      ["wifi-lysgrund", "wifi", 40],
      ["ups-lysgrund", "ups", 4],
      ["gate-lysgrund", "linux server", 24],
      ["crane-lysgrund", "crane control", 30],
    ],
  },
  {
    name: "Hestnes",
    net: 3,
    devices: [
      ["rt-hestnes", "router", 20],
      ["radio-hestnes", "radio link", 24],
      ["sw-hestnes-1", "switch", 12],
      ["sw-hestnes-2", "switch", 14],
      ["kiosk-hestnes-1", "ticketing", 36],
      ["kiosk-hestnes-2", "ticketing", 30],
      ["cctv-hestnes", "camera", 40],
      ["wifi-hestnes", "wifi", 30],
      ["ups-hestnes", "ups", 4],
      ["gate-hestnes", "linux server", 22],
    ],
  },
  {
    name: "Torvika",
    net: 4,
    devices: [
      ["rt-torvika", "router", 20],
      ["fw-torvika", "firewall", 70],
      ["sw-torvika-1", "switch", 12],
      ["kiosk-torvika-1", "ticketing", 30],
      ["cctv-torvika", "camera", 40],
      ["wifi-torvika", "wifi", 30],
      ["ups-torvika", "ups", 5],
      ["gate-torvika", "linux server", 20],
      ["print-torvika", "printer", 4],
    ],
  },
  {
    name: "Brisling",
    net: 5,
    devices: [
      ["gw-brisling", "ship gateway", 30],
      ["sw-brisling", "switch", 10],
      ["tickets-brisling", "ticketing", 30],
      ["wifi-brisling", "wifi", 36],
      ["bridge-brisling", "linux server", 16],
    ],
  },
  {
    name: "Sandlo",
    net: 6,
    devices: [
      ["gw-sandlo", "ship gateway", 30],
      ["sw-sandlo", "switch", 10],
      ["tickets-sandlo", "ticketing", 28],
      ["wifi-sandlo", "wifi", 32],
      ["bridge-sandlo", "linux server", 14],
    ],
  },
];

const GROUP_OF: Readonly<Record<Role, string>> = {
  firewall: "security",
  vpn: "security",
  "core switch": "network",
  switch: "network",
  router: "network",
  "radio link": "network",
  "ship gateway": "network",
  wifi: "network",
  "linux server": "servers",
  "windows server": "servers",
  dns: "servers",
  ticketing: "ticketing",
  camera: "facilities",
  ups: "facilities",
  printer: "facilities",
  "crane control": "facilities",
};

const MODERN: readonly Role[] = ["linux server", "dns", "ticketing", "ship gateway", "crane control"];

/** Every device, in a fixed order. */
export const DEVICES: readonly Device[] = SITES.flatMap((site) => {
  const uplink = site.devices.find(([, role]) => role === "ship gateway" || role === "router")![0];
  const ship = uplink.startsWith("gw-");
  return site.devices.map(
    ([name, role, perHour], i): Device => ({
      name,
      role,
      site: ship ? `ship ${site.name}` : site.name,
      groups: [GROUP_OF[role], ship ? "ships" : "shore"],
      address: `10.20.${site.net}.${10 + i}`,
      alias: `127.20.${site.net}.${10 + i}`,
      format: MODERN.includes(role) ? "RFC 5424" : "RFC 3164",
      transport: role === "ticketing" ? "tcp" : role === "ship gateway" ? "tls" : "udp",
      flows: FLOWS[name] ?? null,
      snmp: SNMP[role] ?? null,
      reachedThrough: name === uplink ? (site.name === "Orvane" ? null : "rt-orvane") : uplink,
      perHour,
      clockAheadSeconds: name === "wifi-torvika" ? 47 : name === "cctv-hestnes" ? -210 : 0,
    }),
  );
});

export const deviceNamed = (name: string): Device => DEVICES.find((d) => d.name === name)!;
