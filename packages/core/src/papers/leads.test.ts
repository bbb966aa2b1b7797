import { type LeadingRecord, leadsOf } from "./index.js";

/** Records a second apart, on machines that have one address each. */
const ADDRESSES: Readonly<Record<string, string>> = { "vpn-1": "10.0.0.1", "dc-1": "10.0.0.2", "fw-1": "10.0.0.254" };
const record = (pin: number, sender: string, parts: Partial<LeadingRecord> = {}): LeadingRecord => ({
  pin,
  timeUs: pin * 1_000_000,
  kind: "windows",
  category: "other",
  outcome: "unknown",
  sender,
  senderAddresses: [ADDRESSES[sender]!],
  src: null,
  dst: null,
  dstPort: null,
  entities: [],
  sessions: [],
  ...parts,
});
const user = (value: string, role = "actor") => ({ kind: "user", role, value }) as LeadingRecord["entities"][number];
const logon = (pin: number, sender: string, name: string, src: string | null) =>
  record(pin, sender, { category: "logon", outcome: "success", src, entities: [user(name)] });
const flow = (pin: number, src: string, dst: string, dstPort: number | null = null) =>
  record(pin, "fw-1", { kind: "flow", category: "traffic", src, dst, dstPort });

test.each<[string, LeadingRecord[], string[]]>([
  ["nothing in common", [record(1, "vpn-1"), record(2, "dc-1")], []],
  [
    "a session goes on, on one machine only, from each to the next",
    [
      record(1, "dc-1", { sessions: ["0x77"] }),
      record(2, "vpn-1", { sessions: ["0x77"] }),
      record(3, "dc-1", { sessions: ["0x77"] }),
      record(4, "dc-1", { sessions: ["0x77"] }),
    ],
    ["1 session 3", "3 session 4"],
  ],
  [
    "what carried a logon, told before it or after",
    [
      flow(1, "203.0.113.9", "10.0.0.1"),
      logon(2, "vpn-1", "k.lind", "203.0.113.9"),
      flow(3, "203.0.113.9", "10.0.0.1"),
    ],
    ["1 carried 2", "2 carried 3"],
  ],
  [
    "traffic elsewhere, or to another port, carried nothing",
    [
      flow(1, "203.0.113.9", "10.0.0.7"),
      { ...flow(2, "203.0.113.9", "10.0.0.1", 25), timeUs: 2_000_000 },
      { ...logon(3, "vpn-1", "k.lind", "203.0.113.9"), dstPort: 443 },
    ],
    [],
  ],
  [
    "what is told ten minutes later carried nothing",
    [logon(1, "vpn-1", "k.lind", "203.0.113.9"), { ...flow(2, "203.0.113.9", "10.0.0.1"), timeUs: 601_000_000 }],
    [],
  ],
  [
    "whoever came in goes on from there",
    [logon(1, "vpn-1", "k.lind", "203.0.113.9"), logon(2, "dc-1", "k.lind", "10.0.0.1")],
    ["1 went on 2"],
  ],
  [
    "a refused logon goes nowhere",
    [{ ...logon(1, "vpn-1", "k.lind", "203.0.113.9"), outcome: "failure" }, logon(2, "dc-1", "k.lind", "10.0.0.1")],
    [],
  ],
  [
    "an account that was made, and its first logon",
    [
      record(1, "dc-1", { category: "account", outcome: "success", entities: [user("k.lind"), user("svc", "target")] }),
      logon(2, "vpn-1", "svc", null),
      logon(3, "dc-1", "svc", null),
      logon(4, "vpn-1", "k.lind", null),
    ],
    ["1 made 2"],
  ],
])("%s", (_, records, expected) => {
  const told = leadsOf(records).map((l) => `${l.from} ${l.kind} ${l.to}`);
  expect(told).toEqual(expected);
  // in whatever order they were pinned
  expect(leadsOf([...records].reverse()).map((l) => `${l.from} ${l.kind} ${l.to}`)).toEqual(expected);
});

test("a thousand logons of one kind are soon looked through, and no thousand arrows from each", () => {
  const many = Array.from({ length: 1_000 }, (_, i) =>
    logon(i + 1, i % 2 === 0 ? "vpn-1" : "dc-1", "k.lind", "10.0.0.1"),
  );
  const leads = leadsOf(many);
  const from = leads.filter((l) => l.from === 1);
  expect(from.length).toBeLessThanOrEqual(3);
});
