import fc from "fast-check";
import { compileFilter, parseFilter } from "../../query/filter/index.js";
import { LINEAR_AT_MOST, timeForItsSize } from "../../testing/node/linear-time.js";
import { testRecord } from "../../testing/record.js";
import { SenderDirectory } from "../senders/index.js";
import { type Binding, bindingsOf, FLOW_MAY_BIND, MAY_BIND, OwnNames } from "./index.js";

const ours = new OwnNames(["orvane.example", "ORVANE"]);
const said = (all: readonly Binding[]) =>
  all.map((b) => `${b.left} ${b.leftValue} ${b.right} ${b.rightValue} by ${b.reason}`);
const LEASE = [
  "address 10.20.2.77 mac 02:00:5e:10:00:4d by lease",
  "address 10.20.2.77 host desk-77 by lease",
  "host desk-77 mac 02:00:5e:10:00:4d by lease",
];
const PAIR = "address 10.20.2.77 mac 02:00:5e:10:00:4d";

// the sentences of the daemons from memory of their sources
test.each<[app: string, text: string, want: readonly string[]]>([
  ["dhcpd", "DHCPACK on 10.20.2.77 to 02:00:5e:10:00:4D (Desk-77.orvane.example) via eth1", LEASE],
  ["dhcpd", "DHCPACK on 10.20.2.77 to 02:00:5e:10:00:4d via eth1", [`${PAIR} by lease`]],
  ["dnsmasq-dhcp", "DHCPACK(eth0) 10.20.2.77 02:00:5e:10:00:4d desk-77", LEASE],
  ["dnsmasq-dhcp", "3112880 DHCPACK(br-lan) 10.20.2.77 02:00:5e:10:00:4d", [`${PAIR} by lease`]],
  ["dnsmasq-dhcp", "DHCPACK(eth0) 10.20.2.77 02:00:5e:10:00:4d *", [`${PAIR} by lease`]],
  [
    "kea-dhcp4",
    "DHCP4_LEASE_ALLOC [hwtype=1 02:00:5e:10:00:4d], cid=[01:02:00:5e:10:00:4d], tid=0x5a1: lease 10.20.2.77 has been allocated for 3600 seconds",
    [`${PAIR} by lease`],
  ],
  ["kernel", "arp: 10.20.2.77 moved from 02:00:5e:10:00:01 to 02:00:5e:10:00:4d on em0", [`${PAIR} by neighbour`]],
  ["arpwatch", "new station 10.20.2.77 02:00:5e:10:00:4d", [`${PAIR} by neighbour`]],
  ["arpwatch", "changed ethernet address 10.20.2.77 02:00:5e:10:00:4d (02:00:5e:10:00:01)", [`${PAIR} by neighbour`]],
  [
    "hostapd",
    "wlan0: STA 02:00:5E:10:00:4d IEEE 802.11: associated",
    ["mac 02:00:5e:10:00:4d port ap-quay wlan0 by wireless"],
  ],
  ["dnsmasq", "reply Desk-77.orvane.example is 10.20.2.77", ["address 10.20.2.77 host desk-77 by answer"]],
  ["dnsmasq", "7 10.20.2.14/40000 cached www.cargo.example is 2001:DB8::7", []],
  ["dnsmasq", "reply www.orvane.example is 198.51.100.4", ["address 198.51.100.4 host www by answer"]],
  ["dnsmasq", "reply scan.harbour.example is 10.20.2.9", ["address 10.20.2.9 host scan.harbour.example by answer"]],
  ["dnsmasq", "reply gone.orvane.example is NXDOMAIN", []],
  ["dhcpd", "DHCPDISCOVER from 02:00:5e:10:00:4d via eth1", []],
  ["dhcpd", "DHCPACK on 999.1.1.1 to 02:00:5e:10:00:4d via eth1", []],
  ["dhcpd", "he said: DHCPACK on 10.20.2.77 to 02:00:5e:10:00:4d", []],
  ["cron", "", []],
])("%s: %s", (app, text, want) => {
  expect(said(bindingsOf(testRecord({ app, text }), "ap-quay", ours))).toEqual(want);
});

test.each<[name: string, parts: Parameters<typeof testRecord>[0], want: readonly string[]]>([
  [
    "a logon says who is at which address, and on which machine",
    { users: ["ORVANE\\K.Lind"], src: "10.20.2.14", host: "files-2.orvane.example", outcome: "success" },
    ["address 10.20.2.14 user k.lind by logon", "host files-2 user k.lind by logon"],
  ],
  [
    "Windows names the machine it came from",
    {
      users: ["k.lind"],
      src: "10.20.2.14",
      host: "files-2",
      outcome: "success",
      data: [["WorkstationName", "DESK-14"]],
    },
    [
      "address 10.20.2.14 user k.lind by logon",
      "host files-2 user k.lind by logon",
      "address 10.20.2.14 host desk-14 by logon",
    ],
  ],
  ["at the machine itself", { users: ["k.lind"], src: "::1", outcome: "success" }, ["host vpn-1 user k.lind by logon"]],
  ["what was refused says nothing", { users: ["k.lind"], src: "10.20.2.14", outcome: "failure" }, []],
  ["nor does a session of the system", { users: ["SYSTEM"], src: "10.20.2.14", outcome: "success" }, []],
  ["nor a machine's account", { users: ["FILES-2$"], src: "10.20.2.14", outcome: "success" }, []],
  ["nor what names no end", { users: ["k.lind"], outcome: "success" }, []],
  ["a name too long for an index", { users: ["u".repeat(300)], src: "10.20.2.14", outcome: "success" }, []],
  ["a name no database takes", { users: ["a\0b"], src: "10.20.2.14", outcome: "success" }, []],
])("%s", (_, parts, want) => {
  expect(said(bindingsOf(testRecord({ category: "logon", ...parts }), "vpn-1", ours))).toEqual(want);
});

test.each<[name: string, parts: Parameters<typeof testRecord>[0], want: readonly string[]]>([
  [
    "a row of the neighbour table in a notification (RFC 4293)",
    { kind: "snmp", data: [["1.3.6.1.2.1.4.22.1.2.7.10.20.2.77", "0x02005e10004d"]] },
    [`${PAIR} by neighbour`],
  ],
  ["one whose index is none", { kind: "snmp", data: [["1.3.6.1.2.1.4.22.1.2.7.10.20", "0x02005e10004d"]] }, []],
  [
    "a flow with the sender's hardware",
    { kind: "flow", src: "10.20.2.77", data: [["sourceMacAddress", "02:00:5e:10:00:4d"]] },
    [`${PAIR} by flow`],
  ],
  [
    "not of who is behind a router for certain",
    { kind: "flow", src: "198.51.100.7", data: [["sourceMacAddress", "02:00:5e:10:00:4d"]] },
    [],
  ],
  ["nor what is nobody's", { kind: "flow", src: "10.20.2.77", data: [["sourceMacAddress", "00:00:00:00:00:00"]] }, []],
])("%s", (_, parts, want) => {
  const record = testRecord(parts);
  expect(said(bindingsOf(record, "rt-1", ours))).toEqual(want);
  const may = parseFilter(record.kind === "flow" ? FLOW_MAY_BIND : MAY_BIND, { zone: "UTC" });
  expect(may.ok && compileFilter(may.filter, { directory: new SenderDirectory([]), nowUs: 0 })(record)).toBe(true);
});

test("the filter lets everything through that binds anything, and hostile text costs time in proportion to its length", () => {
  const read = parseFilter(MAY_BIND, { zone: "UTC" });
  if (!read.ok) throw new Error(read.error.message);
  const may = compileFilter(read.filter, { directory: new SenderDirectory([]), nowUs: 0 });
  const word = fc.constantFrom(
    "DHCPACK",
    " on ",
    "(",
    ")",
    "10.0.0.1",
    ":",
    "02:00:5e:10:00:4d",
    "arp: ",
    "lease ",
    " ",
    "a",
    "STA ",
  );
  fc.assert(
    fc.property(
      fc.constantFrom("dhcpd", "dnsmasq", "kea-dhcp4", "arpwatch", "hostapd", "kernel", "sshd"),
      fc.array(word, { maxLength: 30 }).map((w) => w.join("")),
      (app, text) => {
        const record = testRecord({ app, text });
        expect(bindingsOf(record, "x", ours).length === 0 || app === "sshd" || may(record)).toBe(true);
      },
    ),
  );
  const long = (size: number) => `DHCP4_LEASE_ALLOC [hwtype=1 02:00:5e:10:00:4d]${": lease ".repeat(size)}`;
  const learn = (size: number) => bindingsOf(testRecord({ app: "kea-dhcp4", text: long(size) }), "x", ours);
  expect(timeForItsSize(6_000, learn)).toBeLessThan(LINEAR_AT_MOST);
});

test.each<[string, Parameters<typeof testRecord>[0], readonly string[]]>([
  [
    "an answer of DNS: the name and each of its addresses",
    {
      app: "dns",
      outcome: "success",
      otherAddresses: ["10.20.2.77", "10.20.2.78"],
      data: [["question", "desk-77.orvane.example"]],
    },
    ["address 10.20.2.77 host desk-77 by answer", "address 10.20.2.78 host desk-77 by answer"],
  ],
  [
    "nothing of ours binds nothing: the world has too many names",
    {
      app: "dns",
      outcome: "success",
      otherAddresses: ["198.51.100.61"],
      data: [["question", "cargo.north-sea.example"]],
    },
    [],
  ],
  ["a name that is not there binds nothing", { app: "dns", outcome: "failure", data: [["question", "x.example"]] }, []],
  [
    "a neighbour: its address and its machine",
    { app: "neighbour", src: "10.20.2.77", data: [["mac", "02:00:5e:10:00:4d"]] },
    [`${PAIR} by neighbour`],
  ],
  ["a request binds nothing", { app: "http", src: "10.20.2.77", data: [["server name", "x.example"]] }, []],
])("packets, %s", (_, parts, want) => {
  const record = testRecord({ kind: "packet", category: "traffic", ...parts });
  expect(said(bindingsOf(record, "tap-1", ours))).toEqual(want);
  if (want.length > 0) {
    const parsed = parseFilter(MAY_BIND, { zone: "UTC" });
    if (!parsed.ok) throw new Error(parsed.error.message);
    expect(compileFilter(parsed.filter, { directory: new SenderDirectory([]), nowUs: 0 })(record)).toBe(true);
  }
});
