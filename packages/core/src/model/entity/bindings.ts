import { canonicalAddress, isPrivate } from "../../base/net/index.js";
import { fold } from "../../base/text/index.js";
import { US_PER_DAY } from "../../base/time/index.js";
import { dataValues, type HalvikRecord } from "../record/index.js";
import type { OwnNames } from "./own-names.js";

/** What can belong together. The order is stored: it only grows; of two things the one that stands first here is the left one. */
export const BOUND_THINGS = ["address", "host", "mac", "user", "port"] as const;
export type BoundThing = (typeof BOUND_THINGS)[number];

/** How a record says so. The order is stored: it only grows. */
export const BINDING_REASONS = ["logon", "lease", "neighbour", "wireless", "answer", "flow"] as const;
export type BindingReason = (typeof BINDING_REASONS)[number];

/** What is not said for longer than this is said anew: the address of a guest of last year is not the same guest's. */
export const BINDING_BREAK_US = 7 * US_PER_DAY;

/** Two things that a record says belong together at its time: an address and the machine that has it, a user and where they logged on. */
export interface Binding {
  readonly left: BoundThing;
  readonly leftValue: string;
  readonly right: BoundThing;
  readonly rightValue: string;
  readonly reason: BindingReason;
}

/** Daemons whose messages bind addresses to machines. */
const APPS = ["dhcpd", "dnsmasq-dhcp", "dnsmasq", "kea-dhcp4", "arpwatch", "hostapd"] as const;
/** Records that may bind something, in the words of the filter language: of all others `bindingsOf` is nothing. */
export const MAY_BIND = `(category is logon and outcome is success) or app is ${APPS.join(", ")} or (app is kernel and text has "arp: ") or (kind is packet and app is dns, neighbour) or kind is snmp`;
/** The same of flows, which are many. */
export const FLOW_MAY_BIND = `data "sourceMacAddress" present`;
/** A machine has a few addresses; what sends from more is a router, whose own address on the wire says nothing of whom it forwards. */
export const MOST_ADDRESSES_OF_A_MAC = 4;

/** The longest name that is kept. */
const MOST_VALUE = 255;
/**
 * Sentences of widespread daemons that say who has an address, from memory of their sources: the ISC server's and dnsmasq's acknowledgements,
 * Kea's allocation, the kernel's and arpwatch's notes of neighbours. Each is anchored, so that a message is gone through once.
 */
const LEASES = [
  {
    says: /^DHCPACK on ([\da-f.:]{2,45}) to ([\da-f]{2}(?::[\da-f]{2}){5})(?: \(([\w.-]{1,255})\))?/i,
    address: 1,
    mac: 2,
    host: 3,
  },
  {
    says: /^(?:\d{1,12} )?DHCPACK\([\w.-]{1,32}\) ([\da-f.:]{2,45}) ([\da-f]{2}(?::[\da-f]{2}){5})(?: ([\w.-]{1,255}))?/i,
    address: 1,
    mac: 2,
    host: 3,
  },
  {
    says: /^DHCP4_LEASE_ALLOC \[hwtype=1 ([\da-f]{2}(?::[\da-f]{2}){5})\].{0,200}?: lease ([\da-f.:]{2,45}) has been allocated/i,
    mac: 1,
    address: 2,
    host: 3,
  },
] as const;
const NEIGHBOURS = [
  {
    says: /^arp: ([\da-f.:]{2,45}) moved from [\da-f:]{17} to ([\da-f]{2}(?::[\da-f]{2}){5})/i,
    address: 1,
    mac: 2,
    host: 3,
  },
  { says: /^new (?:station|activity) ([\da-f.:]{2,45}) ([\da-f]{2}(?::[\da-f]{2}){5})/i, address: 1, mac: 2, host: 3 },
  { says: /^changed ethernet address ([\da-f.:]{2,45}) ([\da-f]{2}(?::[\da-f]{2}){5})/i, address: 1, mac: 2, host: 3 },
] as const;
const ASSOCIATED = /^([\w.-]{1,32}): STA ([\da-f]{2}(?::[\da-f]{2}){5}) IEEE 802\.11: associated/i;

/** dnsmasq's log of what it answered (from memory of its sources); a word instead of an address says that there is none. */
const ANSWERED = /^(?:\d{1,12} )?(?:[\w.:/]{1,60} )?(?:reply|cached|config) ([\w.-]{1,255}) is ([\da-f.:]{2,45})$/i;

/** Names of sessions that no person has (Windows' own). */
const NOBODY = /^(system|local service|network service|anonymous logon|dwm-\d+|umfd-\d+|.*\$)$/i;

/** What a record says belongs together. @param senderName where it comes from, by which a machine is known that names itself no other way */
export function bindingsOf(r: HalvikRecord, senderName: string, ours: OwnNames): Binding[] {
  const out: Binding[] = [];
  const bind: Bind = (reason, a, b) => {
    const [[left, of], [right, to]] = BOUND_THINGS.indexOf(a[0]) <= BOUND_THINGS.indexOf(b[0]) ? [a, b] : [b, a];
    if (!isKept(of) || !isKept(to)) return;
    out.push({ left, leftValue: of, right, rightValue: to, reason });
  };
  if (r.category === "logon" && r.outcome === "success") {
    const user = r.users.find((u) => !NOBODY.test(u));
    const machine = ours.canonical("host", r.host ?? senderName);
    const remote = r.src !== null && !isLoopback(r.src) ? r.src : null;
    if (user !== undefined && r.src !== null) {
      const person = ours.canonical("user", user);
      bind("logon", ["address", remote], ["user", person]);
      bind("logon", ["host", machine], ["user", person]);
    }
    // Windows names the machine a logon came from beside its address
    const [station] = dataValues(r, "WorkstationName");
    if (station !== undefined && /[^-]/.test(station))
      bind("logon", ["address", remote], ["host", ours.canonical("host", station)]);
    return out;
  }
  switch (r.kind) {
    case "packet":
      bindPacket(r, ours, bind);
      return out;
    case "snmp":
      bindNeighbourTable(r, bind);
      return out;
    case "flow":
      // the networks of others are behind routers
      if (r.src !== null && isPrivate(r.src))
        bind("flow", ["address", r.src], ["mac", macOf(dataValues(r, "sourceMacAddress")[0] ?? "")]);
      return out;
  }
  const text = r.text;
  const find = (all: typeof LEASES | typeof NEIGHBOURS, reason: BindingReason): void => {
    for (const { says, address, mac, host } of all) {
      const found = says.exec(text);
      if (found === null) continue;
      const ip = canonicalAddress(found[address]!);
      const hardware = fold(found[mac]!);
      bind(reason, ["address", ip], ["mac", hardware]);
      const name = found[host];
      if (name !== undefined && name !== "*") {
        const canonical = ours.canonical("host", name);
        bind(reason, ["address", ip], ["host", canonical]);
        bind(reason, ["host", canonical], ["mac", hardware]);
      }
      return;
    }
  };
  find(LEASES, "lease");
  if (out.length === 0) find(NEIGHBOURS, "neighbour");
  const associated = out.length === 0 ? ASSOCIATED.exec(text) : null;
  if (associated !== null) bind("wireless", ["mac", fold(associated[2]!)], ["port", `${senderName} ${associated[1]}`]);
  const answered = out.length === 0 && r.app === "dnsmasq" ? ANSWERED.exec(text) : null;
  const found = answered === null ? null : canonicalAddress(answered[2]!);
  if (answered !== null && found !== null && isOfOurs(answered[1]!, found, ours))
    bind("answer", ["address", found], ["host", ours.canonical("host", answered[1]!)]);
  return out;
}

type Bind = (
  reason: BindingReason,
  a: readonly [BoundThing, string | null],
  b: readonly [BoundThing, string | null],
) => void;

/**
 * Whether an answer of DNS tells of something of ours: a name in our domains, or an address for private use. Of the rest of the world there are more
 * names than of all else that is learnt together, and they would drive it out.
 */
const isOfOurs = (name: string, address: string, ours: OwnNames): boolean =>
  isPrivate(address) || ours.canonical("host", name) !== fold(name);

/** What packets told: which addresses a name has, and which machine an address. */
function bindPacket(r: HalvikRecord, ours: OwnNames, bind: Bind): void {
  const [name] = dataValues(r, "question");
  if (r.app === "dns" && r.outcome === "success" && name !== undefined)
    for (const address of r.otherAddresses.filter((a) => isOfOurs(name, a, ours)))
      bind("answer", ["address", address], ["host", ours.canonical("host", name)]);
  else if (r.app === "neighbour") bind("neighbour", ["address", r.src], ["mac", dataValues(r, "mac")[0] ?? null]);
}

/** ipNetToMediaPhysAddress (RFC 4293) in a notification: its index is an interface and an IPv4 address, its value the machine's. */
const NEIGHBOUR_COLUMN = "1.3.6.1.2.1.4.22.1.2.";

function bindNeighbourTable(r: HalvikRecord, bind: Bind): void {
  for (const [oid, value] of r.data) {
    if (!oid.startsWith(NEIGHBOUR_COLUMN)) continue;
    const address = canonicalAddress(oid.slice(NEIGHBOUR_COLUMN.length).split(".").slice(1).join("."));
    bind("neighbour", ["address", address], ["mac", macOf(value)]);
  }
}

/** Six octets as people write them; null: they are none, or nobody's. */
function macOf(text: string): string | null {
  const digits = fold(text).replace(/^0x/, "").replaceAll(":", "");
  if (!/^[\da-f]{12}$/.test(digits) || /^(0{12}|f{12})$/.test(digits)) return null;
  return digits.replace(/..(?=.)/g, "$&:");
}

/** What can stand in an index, and says something. */
const isKept = (value: string | null): value is string =>
  value !== null && value !== "" && value.length <= MOST_VALUE && !value.includes("\0") && value.isWellFormed();

const isLoopback = (address: string): boolean => address.startsWith("127.") || address === "::1";
