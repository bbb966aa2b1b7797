import { MibNames, parseMib } from "../../decode/mib/index.js";
import { Applications, type OwnApplication } from "../../model/applications/index.js";
import { emptyContent, type FlowFacts, type HalvikRecord } from "../../model/record/index.js";
import { testRecord } from "../../testing/record.js";
import { fillSentence, Meanings, WINDOWS_MEANINGS } from "../index.js";
import { bytesText, endText, sentenceOf } from "./index.js";

const REGISTRY = { "0/tcp": [""], "443/tcp": ["https"], "53/udp": ["domain"], "22/tcp": ["ssh"] };
const mib = new MibNames(
  parseMib(`T-MIB DEFINITIONS ::= BEGIN
    crane OBJECT IDENTIFIER ::= { iso 9 }
    load OBJECT-TYPE SYNTAX INTEGER UNITS "tonnes" ::= { crane 1 }
    heavy NOTIFICATION-TYPE OBJECTS { load } STATUS current DESCRIPTION "" ::= { crane 2 }
    END`),
);
const say = (parts: Partial<HalvikRecord>, own: OwnApplication[] = [], meanings = new Meanings()) =>
  sentenceOf(testRecord(parts), {
    senderName: "fw-1",
    meanings,
    mib,
    applications: new Applications(own, REGISTRY),
    interfaceName: () => null,
  });
const FLOW: FlowFacts = {
  startUs: 0,
  ingress: null,
  egress: null,
  tos: null,
  tcpFlags: null,
  icmp: null,
  srcAs: null,
  dstAs: null,
  srcMask: null,
  dstMask: null,
  nextHop: null,
  vlan: null,
  direction: null,
  application: null,
  reverseBytes: null,
  reversePackets: null,
  samplingRate: 1,
  domain: 0,
  sequence: 0,
};
const SECURITY = "Microsoft-Windows-Security-Auditing";
const event = (id: string, data: [string, string][], host = "dc-1"): Partial<HalvikRecord> => ({
  kind: "windows",
  app: SECURITY,
  event: id,
  host,
  data,
});

describe("one sentence for every kind, from typed values", () => {
  test.each<[string, Partial<HalvikRecord>, string]>([
    [
      "a refused logon",
      event("4625", [
        ["TargetUserName", "k.lind"],
        ["IpAddress", "::ffff:10.20.1.7"],
        ["LogonType", "3"],
        ["SubStatus", "0xC000006A"],
      ]),
      "k.lind was refused a logon to dc-1 from 10.20.1.7, over the network: the password is wrong",
    ],
    [
      "what is missing goes",
      event("4625", [
        ["TargetUserName", "k.lind"],
        ["IpAddress", "-"],
      ]),
      "k.lind was refused a logon to dc-1",
    ],
    [
      "who sent it has one name, with a domain behind it or without",
      event("4625", [["TargetUserName", "k.lind"]], "FW-1.orvane.example"),
      "k.lind was refused a logon to fw-1",
    ],
    [
      "who joined a group, by its distinguished name (RFC 4514)",
      event("4728", [
        ["MemberName", "CN=n.berg,CN=Users,DC=orvane,DC=example"],
        ["TargetUserName", "Domain Admins"],
      ]),
      "n.berg joined the global group Domain Admins",
    ],
    [
      "who joined a group, where the account is known",
      {
        ...event("4732", [
          ["MemberName", "-"],
          ["TargetUserName", "Administrators"],
          ["SubjectUserName", "t.vik"],
        ]),
        users: ["t.vik", "svc-print"],
      },
      "svc-print joined the local group Administrators, added by t.vik",
    ],
    ["an unknown event has its own text", { kind: "windows", app: "Any", event: "9", text: "It broke." }, "It broke."],
    ["an unknown event without text", { kind: "windows", app: "Any", event: "9", host: "h" }, "Event 9 of Any on h"],
    [
      "link down",
      { kind: "snmp", event: "1.3.6.1.6.3.1.1.5.3", interface: "ge0/7" },
      "interface ge0/7 of fw-1 went down",
    ],
    [
      "a v1 trap of an identifier without a zero (RFC 3584)",
      { kind: "snmp", event: "1.3.6.1.2.1.33.2.0.1", data: [] },
      "fw-1 runs on battery",
    ],
    [
      "a maker's notification",
      { kind: "snmp", event: "1.9.2", data: [["1.9.1.0", "21"]] },
      "fw-1 sent heavy: load 21 tonnes",
    ],
    ["one nobody named", { kind: "snmp", event: "1.8.7" }, "fw-1 sent the unnamed notification 1.8.7"],
    [
      "a decision",
      {
        kind: "firewall",
        action: "reject",
        protocol: 6,
        src: "10.0.0.1",
        srcPort: 4000,
        dst: "2001:db8::1",
        dstPort: 443,
        data: [["policy", "web-in-tls"]],
      },
      "fw-1 refused TCP (https) from 10.0.0.1:4000 to [2001:db8::1]:443, by web-in-tls",
    ],
    [
      "a flow",
      {
        kind: "flow",
        protocol: 17,
        src: "10.0.0.1",
        srcPort: 5353,
        dst: "10.0.0.2",
        dstPort: 53,
        bytes: 1_234,
        packets: 1,
        timeUs: 12e6,
        flow: FLOW,
      },
      "10.0.0.1:5353 sent 1.2 kB in 1 packet to 10.0.0.2:53 by UDP (domain) over 12 s",
    ],
    [
      "an estimate says so",
      {
        kind: "flow",
        protocol: 6,
        src: "10.0.0.1",
        dst: "10.0.0.2",
        bytes: 6_400_000,
        packets: 6_400,
        timeUs: 0,
        marks: ["estimated"],
        flow: { ...FLOW, samplingRate: 64 },
      },
      "10.0.0.1 sent 6.4 MB in 6,400 packets to 10.0.0.2 by TCP, estimated from 1 in 64",
    ],
    [
      "a syslog logon, whatever the daemon's words",
      { category: "logon", outcome: "success", users: ["k.lind"], src: "10.0.0.1", text: "Accepted publickey …" },
      "k.lind logged on to fw-1 from 10.0.0.1",
    ],
    ["other syslog says it itself", { text: "vlan 10: topology unchanged" }, "vlan 10: topology unchanged"],
    ["an empty message", { text: "" }, "An empty message came from fw-1"],
    [
      "what could not be read",
      { kind: "snmp", problem: { code: "TRUNCATED", offset: 3, message: "message: expected 9 bytes" } },
      "Something from this sender could not be read: message: expected 9 bytes",
    ],
  ])("%s", (_what, parts, want) => expect(say(parts)).toBe(want));

  test("no kind is ever without a sentence", () => {
    for (const kind of ["syslog", "snmp", "windows", "firewall", "flow", "json", "halvik"] as const)
      expect(say({ ...emptyContent(kind, 0, 0), flow: kind === "flow" ? FLOW : null })).not.toBe("");
  });
  test("own names and meanings stand before those that ship", () => {
    const own = { name: "crew telemetry", protocol: 17, lowPort: 23_470, highPort: 23_479, network: null };
    expect(
      say({ kind: "flow", protocol: 17, src: "a", srcPort: 23_475, dst: "b", dstPort: 23_475, flow: FLOW, timeUs: 0 }, [
        own,
      ]),
    ).toContain("(crew telemetry)");
    const meanings = new Meanings([
      {
        kind: "windows",
        code: `${SECURITY} 4625`,
        severity: 1,
        category: "logon",
        outcome: "failure",
        sentence: "{TargetUserName} knocked",
        next: null,
      },
    ]);
    expect(say(event("4625", [["TargetUserName", "x"]]), [], meanings)).toBe("x knocked");
  });
});

test("the dictionary: at least 150 events, each with a sentence whose brackets close", () => {
  expect(WINDOWS_MEANINGS.size).toBeGreaterThanOrEqual(150);
  for (const [code, m] of WINDOWS_MEANINGS) {
    const said = fillSentence(m.sentence!, (name) => (name === "" ? null : "x"));
    expect({ code, said: /[[\]{}]/.test(said) }).toEqual({ code, said: false });
  }
});

test.each([
  [999, "999 B"],
  [1_000, "1.0 kB"],
  [123_456, "123 kB"],
  [999_600, "1.0 MB"],
])("%i bytes are %s", (n, text) => expect(bytesText(n)).toBe(text));
test("an IPv6 end has brackets (RFC 3986 section 3.2.2)", () =>
  expect(endText("2001:db8::1", 53)).toBe("[2001:db8::1]:53"));
