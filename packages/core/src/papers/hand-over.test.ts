import { createHash } from "node:crypto";
import {
  handOver,
  handOverMarkdown,
  iodefOf,
  type PaperInWords,
  type PinInWords,
  type RecordInWords,
  stixOf,
} from "./index.js";

const AT = "2026-11-26T02:18:31.123456Z";
const record = (id: string, parts: Partial<RecordInWords> = {}): RecordInWords => ({
  id,
  time: AT,
  arrival: AT,
  sender: "vpn-1",
  kind: "syslog",
  severity: "warning",
  category: "logon",
  outcome: "success",
  sentence: "k.lind logged on to vpn-1 from 203.0.113.9",
  text: "accepted k.lind from 203.0.113.9",
  src: "203.0.113.9",
  dst: null,
  srcPort: null,
  dstPort: null,
  protocol: null,
  bytes: null,
  packets: null,
  entities: [
    { kind: "address", role: "source", value: "203.0.113.9" },
    { kind: "user", role: "actor", value: "k.lind" },
  ],
  hashes: [],
  raw: { bytes: 3, sha256: createHash("sha256").update("abc").digest("hex"), base64: "YWJj" },
  ...parts,
});
const pin = (number: number, parts: Partial<PinInWords> = {}): PinInWords => ({
  number,
  pinned: { is: "record", id: String(number) },
  record: null,
  reason: "",
  techniques: [],
  by: "anna",
  at: "2026-11-26T09:00:00.000000Z",
  ...parts,
});
const WINDOW = { from: "2026-11-26T00:00:00.000000Z", to: "2026-11-27T00:00:00.000000Z" };
const paper = (parts: Partial<PaperInWords> = {}): PaperInWords => ({
  id: 7,
  name: "The night of 26 November",
  question: "Who was on vpn-1?",
  conclusion: "",
  state: "open",
  owner: "anna",
  people: ["berit"],
  window: null,
  created: "2026-11-26T08:00:00.000000Z",
  closed: null,
  lanes: [],
  pins: [],
  entries: [],
  leads: [],
  made: "2026-11-27T10:00:00.000000Z",
  madeBy: "berit",
  ...parts,
});
const FULL = paper({
  conclusion: "An account was guessed.",
  state: "closed",
  closed: "2026-11-27T09:00:00.000000Z",
  window: WINDOW,
  pins: [
    pin(1, { record: record("1"), reason: "the logon", techniques: ["T1078"] }),
    pin(2, {
      record: record("2", {
        kind: "flow",
        dst: "2001:db8::5",
        src: "203.0.113.9",
        srcPort: 40_000,
        dstPort: 443,
        protocol: 6,
        bytes: 1_000,
        packets: 10,
        hashes: ["5d41402abc4b2a76b9719d911017c592"],
      }),
    }),
    pin(3, {
      pinned: {
        is: "search",
        filter: "user is k.lind",
        reading: "user is k.lind",
        zone: "UTC",
        ...WINDOW,
        count: 1,
        isExact: false,
        lacking: "",
      },
    }),
    pin(4, { pinned: { is: "file", name: "memo.png", bytes: 3, sha256: "ab".repeat(32), picture: "image/png" } }),
    pin(5, {
      pinned: {
        is: "incident",
        id: 3,
        title: "Logon guessed",
        severity: "critical",
        state: "open",
        first: AT,
        last: AT,
        count: 46,
        story: ["at 02:14 …"],
        entities: [],
        techniques: [],
      },
    }),
  ],
  entries: [
    { entry: { is: "note", text: "# Loud\nsee #1" }, author: "anna", at: AT },
    {
      entry: {
        is: "hypothesis",
        text: "guessed",
        speaksFor: [1, 9],
        speaksAgainst: [2],
        confidence: "high",
        state: "holds",
      },
      author: "anna",
      at: AT,
    },
    { entry: { is: "task", text: "reset the password", assignedTo: "berit", isDone: false }, author: "anna", at: AT },
    { entry: { is: "question", text: "from where?", answer: "" }, author: "berit", at: AT },
    { entry: { is: "question", text: "when?", answer: "02:18" }, author: "berit", at: AT },
  ],
  leads: [
    { from: 2, to: 1, kind: "carried", by: "203.0.113.9" },
    { from: 1, to: 5, kind: "drawn", by: "became" },
    { from: 1, to: 99, kind: "drawn", by: "gone" },
  ],
});

describe("the summary", () => {
  const text = handOverMarkdown(handOver(FULL));
  test.each([
    "# The night of 26 November",
    "An account was guessed.",
    "techniques (MITRE ATT&CK) | T1078",
    "| asked | answer |\n| --- | --- |\n| when? | 02:18 |",
    "for: \\#1 vpn-1: k.lind logged on to vpn-1 from 203.0.113.9",
    "for: \\#9, no longer pinned",
    "against: \\#2",
    "- question: from where?",
    "- to do by berit: reset the password",
    "| \\#2 | vpn-1: k.lind logged on to vpn-1 from 203.0.113.9 | \\#1 (carried from 203.0.113.9) |",
    `SHA-256 of its 3 bytes: ${createHash("sha256").update("abc").digest("hex")}`,
    "at least 1 record",
  ])("says %j", (said) => expect(text).toContain(said));

  test("what is not known is said to be open, and nothing is made up for an empty paper", () => {
    const said = handOverMarkdown(handOver(paper()));
    expect(said).toContain("No conclusion has been written yet.");
    expect(said).toContain("Nothing has been pinned.");
  });

  test("what a device sent stays in its block, whatever it holds", () => {
    const text = "```\n# Heading\n<script>x</script>\n[a](javascript:1)";
    const said = handOverMarkdown(
      handOver(paper({ pins: [pin(1, { record: record("1", { text, sentence: text }) })] })),
    );
    expect(said).toContain("````\n``` # Heading <script>");
    const outside = said.replace(/````[\s\S]*?````/g, "");
    expect(outside).not.toMatch(/(?<!\\)<script>/);
    expect(outside).not.toMatch(/(?<!\\)\[a\]/);
  });
});

/** What objects must have beside what all have (STIX 2.1 sections 4 to 6; from memory: the schemas cannot be reached from here). */
const REQUIRED: Readonly<Record<string, readonly string[]>> = {
  identity: ["name"],
  grouping: ["context", "object_refs"],
  note: ["content", "object_refs"],
  "observed-data": ["first_observed", "last_observed", "number_observed", "object_refs"],
  "attack-pattern": ["name"],
  incident: ["name"],
  relationship: ["relationship_type", "source_ref", "target_ref"],
  "ipv4-addr": ["value"],
  "ipv6-addr": ["value"],
  "user-account": ["account_login"],
  "network-traffic": ["protocols", "src_ref", "dst_ref"],
  file: ["hashes"],
  artifact: ["payload_bin"],
};
const OBSERVABLE = ["ipv4-addr", "ipv6-addr", "user-account", "network-traffic", "file", "artifact"];
const refsIn = (o: Readonly<Record<string, unknown>>): string[] =>
  Object.entries(o).flatMap(([name, value]) =>
    name.endsWith("_ref") ? [value as string] : name.endsWith("_refs") ? (value as string[]) : [],
  );

describe.each([
  ["of all sorts of pins", FULL],
  ["of nothing", paper()],
])("STIX %s", (_, told) => {
  const { objects, ...bundle } = stixOf(told, "halvik.example");
  test("every object has what its type must have, one identifier of its type, and refers to what is there", () => {
    expect(bundle).toMatchObject({ type: "bundle", id: expect.stringMatching(/^bundle--[0-9a-f-]{36}$/) });
    const ids = new Set(objects.map((o) => o.id));
    expect(ids.size).toBe(objects.length);
    for (const object of objects) {
      expect(object.id).toMatch(
        new RegExp(`^${object.type}--[0-9a-f]{8}-[0-9a-f]{4}-5[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$`),
      );
      expect(Object.keys(object)).toEqual(expect.arrayContaining(["spec_version", ...REQUIRED[object.type]!]));
      for (const ref of refsIn(object)) expect(ids).toContain(ref);
      for (const refs of [object.object_refs]) if (refs !== undefined) expect(refs).not.toHaveLength(0);
      if (OBSERVABLE.includes(object.type)) expect(object).not.toHaveProperty("created");
      else {
        expect(object.created).toMatch(/^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z$/);
        expect((object.modified as string) >= (object.created as string)).toBe(true);
      }
    }
  });
  test("the same papers become the same bundle; of another Halvik other objects, but the same observables", () => {
    expect(stixOf(told, "halvik.example")).toEqual({ ...bundle, objects });
    const other = stixOf(told, "other.example").objects.map((o) => o.id);
    for (const { id, type } of objects) expect(other.includes(id)).toBe(OBSERVABLE.includes(type));
  });
});

test("an observable's identifier is the UUID of its canonical form (RFC 9562 section 5.5, STIX 2.1 section 2.9)", () => {
  const found = stixOf(FULL, "x").objects.find((o) => o.type === "ipv4-addr")!;
  const namespace = Buffer.from("00abedb4aa42466c9c01fed23315a9b7", "hex");
  const hash = createHash("sha1").update(namespace).update('{"value":"203.0.113.9"}').digest().subarray(0, 16);
  hash[6] = (hash[6]! & 0x0f) | 0x50;
  hash[8] = (hash[8]! & 0x3f) | 0x80;
  expect(found.id.replace(/^ipv4-addr--|-/g, "")).toBe(hash.toString("hex"));
});

test("STIX: what led where, what technique it was, and what people think are said of the pins", () => {
  const { objects } = stixOf(FULL, "x");
  const of = (type: string) => objects.filter((o) => o.type === type);
  expect(of("relationship").map((r) => r.description)).toEqual(["the logon", "carried from 203.0.113.9", "became"]);
  expect(of("attack-pattern")).toMatchObject([
    { external_references: [{ source_name: "mitre-attack", external_id: "T1078" }] },
  ]);
  expect(of("network-traffic")).toMatchObject([
    { src_port: 40_000, dst_port: 443, protocols: ["ipv4", "tcp"], src_byte_count: 1_000, src_packets: 10 },
  ]);
  expect(of("file")).toEqual(
    expect.arrayContaining([expect.objectContaining({ hashes: { MD5: "5d41402abc4b2a76b9719d911017c592" } })]),
  );
  expect(of("note").map((n) => n.abstract)).toContain("Hypothesis, holds, confidence high");
});

/** Names of members by class (RFC 8727 section 5, from memory: the schema cannot be reached from here). */
const MEMBERS: Readonly<Record<string, readonly string[]>> = {
  Incident: [
    "purpose",
    "status",
    "restriction",
    "IncidentID",
    "StartTime",
    "EndTime",
    "ReportTime",
    "GenerationTime",
    "Description",
    "Method",
    "Contact",
    "EventData",
    "History",
  ],
  EventData: ["Description", "DetectTime", "StartTime", "System", "RecordData"],
  System: ["category", "Node", "Service"],
  Service: ["ip-protocol", "Port"],
  RecordData: ["DateTime", "Description", "RecordItem"],
  RecordItem: ["name", "dtype", "value"],
  HistoryItem: ["action", "DateTime", "Description"],
};
test("IODEF: members are those of their classes, what must be there is, and events name source and target", () => {
  const document = iodefOf(FULL, "halvik.example");
  const visit = (value: unknown, name: string) => {
    if (Array.isArray(value)) for (const item of value) visit(item, name);
    else if (typeof value === "object" && value !== null) {
      const known = MEMBERS[name];
      if (known !== undefined) expect(known).toEqual(expect.arrayContaining(Object.keys(value)));
      for (const [inner, content] of Object.entries(value)) visit(content, inner);
    }
  };
  visit(document, "document");
  expect(document).toMatchObject({ version: "2.0", lang: "en" });
  expect(document.Incident[0]).toMatchObject({
    purpose: "reporting",
    status: "resolved",
    IncidentID: { id: "7", name: "halvik.example" },
    GenerationTime: "2026-11-27T10:00:00.000000Z",
    Contact: [{ type: "person", role: "creator", ContactName: ["anna"] }],
  });
  expect((document.Incident[0].EventData as object[])[1]).toMatchObject({
    System: [
      { category: "source", Node: { Address: [{ category: "ipv4-addr", value: "203.0.113.9" }] } },
      {
        category: "target",
        Node: { Address: [{ category: "ipv6-addr", value: "2001:db8::5" }] },
        Service: [{ "ip-protocol": 6, Port: 443 }],
      },
    ],
  });
});
