import { civilToUs, US_PER_DAY } from "../base/time/index.js";
import { emptyFlow } from "../decode/flow/index.js";
import { Meanings } from "../meaning/index.js";
import { recordToJson } from "../model/record/index.js";
import { testRecord } from "../testing/record.js";
import { chooseTime, findMeaning, flowRecord, jsonRecord, syslogRecord } from "./index.js";

const S = 1e6;
const ARRIVAL = civilToUs(2026, 11, 24, 12, 0, 0);

describe("the choice of time (semantics 2)", () => {
  test.each([
    ["no stamp", null, true, 0, "arrival: no stamp", ARRIVAL],
    ["whole seconds within 2 s give way to arrival", ARRIVAL - 1 * S, true, 0, "arrival: coarse stamp", ARRIVAL],
    ["whole seconds 3 s behind stand", ARRIVAL - 3 * S, true, 0, "device", ARRIVAL - 3 * S],
    ["a fraction stands however near", ARRIVAL - 1 * S, false, 0, "device", ARRIVAL - 1 * S],
    ["corrected by the clock offset", ARRIVAL - 100 * S, false, 90 * S, "corrected", ARRIVAL - 10 * S],
    ["5 min ahead stands", ARRIVAL + 300 * S, false, 0, "device", ARRIVAL + 300 * S],
    ["more than 5 min ahead", ARRIVAL + 301 * S, false, 0, "arrival: too far ahead", ARRIVAL],
    ["7 days behind stands", ARRIVAL - 7 * US_PER_DAY, false, 0, "device", ARRIVAL - 7 * US_PER_DAY],
    ["more than 7 days behind", ARRIVAL - 7 * US_PER_DAY - 1, false, 0, "arrival: too far behind", ARRIVAL],
  ] as const)("%s", (_what, deviceUs, coarse, offsetUs, reason, timeUs) => {
    expect(chooseTime(deviceUs, coarse, ARRIVAL, offsetUs)).toMatchObject({ reason, timeUs });
  });
});

describe("what messages mean (phrases of common daemons; common practice, no source)", () => {
  test.each([
    [
      "sshd",
      "Failed password for invalid user admin from 203.0.113.9 port 51440 ssh2",
      { category: "logon", outcome: "failure", users: ["admin"], src: "203.0.113.9", srcPort: 51440 },
    ],
    [
      "sshd",
      "Accepted publickey for k.lind from 2001:db8::9 port 51440 ssh2",
      { category: "logon", outcome: "success", users: ["k.lind"], src: "2001:db8::9" },
    ],
    [
      "sudo",
      "k.lind : TTY=pts/0 ; PWD=/ ; USER=root ; COMMAND=/bin/sh",
      { category: "privilege", outcome: "success", users: ["k.lind"] },
    ],
    [
      "su",
      "'su root' failed for lonvick on /dev/pts/8",
      { category: "privilege", outcome: "failure", users: ["lonvick"] },
    ],
    [null, "Interface ge0/24, changed state to down", { category: "link", outcome: "failure", interface: "ge0/24" }],
    [
      "filter",
      "denied tcp 203.0.113.9:51490 -> 198.51.100.4:22",
      { category: "other", otherAddresses: ["203.0.113.9", "198.51.100.4"] },
    ],
  ])("%s: %s", (app, text, want) => expect(findMeaning(app, text, new Meanings().phrases)).toMatchObject(want));
});

test("what a file says of last year is believed: a line with its year, and a flow, whose start goes with its end", () => {
  const receivedUs = civilToUs(2026, 11, 27, 0, 0, 0);
  const context = { receivedUs, clockOffsetUs: 0, zone: "UTC", maxBehindUs: Number.POSITIVE_INFINITY };
  const line = syslogRecord(Buffer.from("<38>2025-03-04T05:06:07.5Z h a: m"), context).content;
  expect([line.timeUs, line.timeReason]).toEqual([civilToUs(2025, 3, 4, 5, 6, 7, 500_000), "device"]);
  const startUs = civilToUs(2025, 3, 4, 5, 6, 7);
  const flow = { ...emptyFlow(), startUs, endUs: startUs + 9_000_000 };
  const record = flowRecord(flow, { ...context, domain: 0, sequence: 0 });
  expect([record.timeUs, record.flow?.startUs]).toEqual([startUs + 9_000_000, startUs]);
  // heard live it is too old to be believed
  expect(flowRecord(flow, { ...context, maxBehindUs: undefined, domain: 0, sequence: 0 }).timeUs).toBe(receivedUs);
});

test("a message without a valid priority is a notice, and says that none was sent (RFC 3164 section 4.3.3)", () => {
  const { content } = syslogRecord(new TextEncoder().encode("<999>odd"), {
    receivedUs: ARRIVAL,
    zone: "UTC",
    clockOffsetUs: 0,
  });
  expect(content).toMatchObject({
    severity: 5,
    originalSeverity: null,
    text: "<999>odd",
    marks: ["problem"],
    problem: { code: "INVALID_PRI" },
  });
});

describe("what people set for phrases of syslog", () => {
  const own = (code: string, category: "link" | "service", severity: 2 | null = null) => ({
    kind: "syslog" as const,
    code,
    category,
    outcome: "failure" as const,
    severity,
    sentence: null,
    next: null,
  });
  const record = (line: string, meanings: Meanings) =>
    syslogRecord(new TextEncoder().encode(line), { receivedUs: 0, zone: "UTC", clockOffsetUs: 0, meanings }).content;

  test("a shipped one changed keeps what it picks out; one of their own comes first; severity as they say", () => {
    const meanings = new Meanings([
      own("sshd, sshd-session: Failed ", "service", 2),
      own("door ajar", "link"),
      own("crane: door ajar", "service"),
    ]);
    expect(record("<38>sshd[1]: Failed password for root from 10.0.0.1 port 22", meanings)).toMatchObject({
      category: "service",
      severity: 2,
      originalSeverity: "informational",
      users: ["root"],
      src: "10.0.0.1",
    });
    expect(record("<38>gate: door ajar (a+b)", meanings)).toMatchObject({ category: "link", severity: 6 });
    expect(record("<38>crane: door ajar", meanings)).toMatchObject({ category: "service", outcome: "failure" });
    expect(record("<38>crane: door shut", meanings)).toMatchObject({ category: "other" });
  });
  test("signs that patterns are made of are only signs", () => {
    const meanings = new Meanings([own("fault (.*) [x]", "link")]);
    expect(record("<38>a: fault (.*) [x] seen", meanings).category).toBe("link");
    expect(record("<38>a: fault (abc) x seen", meanings).category).toBe("other");
  });
});

describe("JSON as it was written", () => {
  const read = (json: string) =>
    jsonRecord(new TextEncoder().encode(json), {
      receivedUs: 1_795_600_000_000_000,
      clockOffsetUs: 0,
      mapping: null,
      meanings: new Meanings(),
    }).content;
  test("numbers that a double would alter keep their digits (RFC 8259 section 6)", () => {
    const { data, bytes } = read(
      '{"id":9007199254740993,"a":[18446744073709551615,1.10,1e400,-0.50,7],"bytes":9007199254740993}',
    );
    expect(data).toEqual([
      ["id", "9007199254740993"],
      ["a.0", "18446744073709551615"],
      ["a.1", "1.10"],
      ["a.2", "1e400"],
      ["a.3", "-0.50"],
      ["a.4", "7"],
    ]);
    expect(bytes).toBe(9_007_199_254_740_993n);
  });
  test.each([
    '{"a":1.10,"__proto__":{"x":12345678901234567}}',
    `{"a":1.10,"b":${"[".repeat(60_000)}${"]".repeat(60_000)}}`,
    '{"a":1.10,"a":2.20}',
  ])("whatever stands beside them", (json) => expect(read(json).problem).toBeNull());
  // bodies as widespread loggers and schemas have them, from memory
  test.each<[string, object, object]>([
    [
      "a logger that counts levels in tens",
      { level: 50, time: 1_795_600_000_000, pid: 7, hostname: "web-1", msg: "no route" },
      {
        severity: 3,
        originalSeverity: "50",
        timeUs: 1_795_600_000_000_000,
        process: "7",
        host: "web-1",
        text: "no route",
        data: [],
      },
    ],
    [
      "names with an at sign and members",
      {
        "@timestamp": "2026-11-25T10:00:00Z",
        log: { level: "warn" },
        message: "m",
        source: { ip: "10.0.0.1", port: 5 },
        destination: { ip: "10.0.0.2", port: 443 },
        user: { name: "k.lind" },
        network: { transport: "tcp" },
        event: { outcome: "failure", code: "4625" },
      },
      {
        severity: 4,
        src: "10.0.0.1",
        srcPort: 5,
        dst: "10.0.0.2",
        dstPort: 443,
        users: ["k.lind"],
        protocol: 6,
        outcome: "failure",
        event: "4625",
        data: [],
      },
    ],
    [
      "seconds with a fraction",
      { ts: 1_795_599_999.5, msg: "m", levelname: "ERROR" },
      { timeUs: 1_795_599_999_500_000, severity: 3 },
    ],
    [
      "of two the first that fits",
      { level: "verbose-ish", loglevel: "error" },
      { severity: 3, originalSeverity: "error", data: [["level", "verbose-ish"]] },
    ],
    [
      "what fits nowhere stays, and is told",
      { severity: "purple" },
      { severity: 6, originalSeverity: "purple", data: [["severity", "purple"]] },
    ],
    ["a text beside the message is not lost", { msg: "m", text: "t" }, { text: "m", data: [["text", "t"]] }],
    ["a name of nothing is nothing", { "": "x", msg: "m" }, { text: "m", host: null, data: [["", "x"]] }],
  ])("%s", (_, body, expected) => {
    expect(read(JSON.stringify(body))).toMatchObject(expected);
  });
  test("with a declared mapping only what it names is taken", () => {
    const { content } = jsonRecord(new TextEncoder().encode('{"msg":"m","who":"k.lind","":"x"}'), {
      receivedUs: 1_795_600_000_000_000,
      clockOffsetUs: 0,
      mapping: { user: "who" },
      meanings: new Meanings(),
    });
    expect(content).toMatchObject({
      users: ["k.lind"],
      text: "",
      host: null,
      data: [
        ["msg", "m"],
        ["", "x"],
      ],
    });
  });
  test("a record of our own export comes back: text, users, other addresses, named values", () => {
    const record = testRecord({
      text: "a text",
      users: ["k.lind", "root"],
      otherAddresses: ["192.0.2.7", "2001:db8::1"],
      host: "web",
      src: "10.0.0.1",
      srcPort: 5,
      bytes: 9_007_199_254_740_993n,
      data: [
        ["sale@32473 terminal", "3"],
        ["x", ""],
      ],
    });
    const { text, users, otherAddresses, host, src, srcPort, bytes, data } = read(
      JSON.stringify(recordToJson(record, "s")),
    );
    expect({ text, users, otherAddresses, host, src, srcPort, bytes }).toEqual({
      text: record.text,
      users: record.users,
      otherAddresses: record.otherAddresses,
      host: "web",
      src: "10.0.0.1",
      srcPort: 5,
      bytes: record.bytes,
    });
    expect(data).toEqual(
      expect.arrayContaining([
        ["sale@32473 terminal", "3"],
        ["x", ""],
      ]),
    );
  });
});

describe("a firewall's decision in structured data", () => {
  const of = (pairs: string) =>
    syslogRecord(Buffer.from(`<134>1 2026-11-30T22:00:00Z fw wall - DENY [fw@32473 ${pairs}] session denied`), {
      ...{ receivedUs: 1_796_076_000_000_000, zone: "UTC", clockOffsetUs: 0 },
    }).content;
  const ends = 'source-address="203.0.113.5" source-port="4000" destination-address="10.0.0.1"';
  test("is one, and its data stay as they came", () => {
    const record = of(`${ends} destination-port="22" action="deny" protocol-id="6" policy-name="no \\"x\\""`);
    expect(record).toMatchObject({
      ...{ kind: "firewall", action: "deny", src: "203.0.113.5", srcPort: 4_000, dst: "10.0.0.1", dstPort: 22 },
      ...{ protocol: 6, severity: 5, text: "session denied" },
    });
    expect(record.data).toContainEqual(["fw@32473 destination-port", "22"]);
    expect(record.data.filter(([name]) => name.endsWith("destination-port"))).toHaveLength(1);
  });
  test.each([
    ["no verdict", `${ends} destination-port="22"`],
    ["no verdict that is known", `${ends} action="looked at"`],
    ["no end", 'action="deny" protocol-id="6" policy-name="x"'],
    ["ends that are none", 'action="deny" src="nobody" dst="nothing"'],
  ])("%s: none", (_, pairs) => expect(of(pairs).kind).toBe("syslog"));
});
