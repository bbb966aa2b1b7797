import { DecodeError } from "../../base/bytes/index.js";
import { civilToUs } from "../../base/time/index.js";
import { Meanings } from "../../meaning/index.js";
import { columnsRecord, syslogRecord } from "../../normalise/index.js";
import { LINEAR_AT_MOST, timeForItsSize } from "../../testing/node/linear-time.js";
import { DecisionColumns, findDecision } from "./index.js";

describe("Linux packet filter (format: common practice, no source)", () => {
  const LINE =
    "[12345.678901] FW-DROP: IN=eth0 OUT= MAC=aa:bb SRC=203.0.113.9 DST=198.51.100.4 LEN=60 TOS=0x00 PREC=0x00 TTL=52 ID=4711 DF PROTO=TCP SPT=51490 DPT=22 SEQ=1 ACK=0 WINDOW=64240 RES=0x00 SYN URGP=0";
  test("addresses, ports, interface; the verdict from the prefix; ACK=0 is not the ACK flag", () => {
    const f = findDecision(LINE);
    expect(f).toMatchObject({
      format: "netfilter",
      action: "deny",
      policy: "FW-DROP",
      inInterface: "eth0",
      outInterface: null,
      src: "203.0.113.9",
      dst: "198.51.100.4",
      srcPort: 51_490,
      dstPort: 22,
      protocol: 6,
      bytes: 60,
    });
    expect(f!.data).toContainEqual(["tcp flags", "SYN"]);
  });
  test.each([
    ["DROP edge-in-9: ", "deny", "edge-in-9"],
    ["[ 12.5] ACCEPT office out: ", "accept", "office out"],
    ["edge-in DROP ", "deny", "edge-in DROP"],
    ["REJECT ", "reject", "REJECT"],
  ])("the prefix “%s” is %s by %s", (prefix, action, policy) => {
    const line = `${prefix}IN=eth0 OUT= SRC=203.0.113.9 DST=198.51.100.4 LEN=60 PROTO=TCP SPT=51490 DPT=22`;
    expect(findDecision(line)).toMatchObject({ action, policy });
  });
  test("LEN twice: the packet's, not the datagram's", () => {
    const f = findDecision(
      "IN=eth0 OUT=eth1 SRC=10.0.0.1 DST=10.0.0.2 LEN=128 TOS=0x00 PROTO=UDP SPT=53 DPT=5353 LEN=108",
    );
    expect(f).toMatchObject({ action: null, policy: null, protocol: 17, bytes: 128, outInterface: "eth1" });
  });
  test("an ICMP error quotes another packet in brackets", () => {
    const f = findDecision(
      "REJECT IN=eth0 OUT= SRC=192.0.2.1 DST=10.0.0.9 LEN=96 PROTO=ICMP TYPE=3 CODE=1 [SRC=10.0.0.9 DST=198.51.100.1 LEN=60 PROTO=TCP SPT=4000 DPT=443 ]",
    );
    expect(f).toMatchObject({
      action: "reject",
      src: "192.0.2.1",
      dst: "10.0.0.9",
      protocol: 1,
      srcPort: null,
      dstPort: null,
    });
  });
  test("IPv6", () => {
    expect(
      findDecision(
        "ACCEPT IN=eth0 OUT= SRC=2001:0db8:0000:0000:0000:0000:0000:0001 DST=2001:db8::2 LEN=80 PROTO=ICMPv6 TYPE=128",
      ),
    ).toMatchObject({
      action: "accept",
      src: "2001:db8::1",
      protocol: 58,
    });
  });
});

describe("pf (format: common practice, no source)", () => {
  test.each([
    [
      "rule 12/0(match): block in on em0: 203.0.113.9.51234 > 192.0.2.1.22: Flags [S], seq 1, win 65535",
      {
        action: "deny",
        src: "203.0.113.9",
        srcPort: 51_234,
        dst: "192.0.2.1",
        dstPort: 22,
        protocol: 6,
        inInterface: "em0",
      },
    ],
    [
      "rule 3/0(match): pass out on em1: 2001:db8::1.443 > 2001:db8::2.50000: UDP, length 20",
      {
        action: "accept",
        src: "2001:db8::1",
        srcPort: 443,
        dst: "2001:db8::2",
        dstPort: 50_000,
        protocol: 17,
        outInterface: "em1",
      },
    ],
    [
      "rule 0/0(match): pass in on em0: 10.0.0.1 > 10.0.0.2: ICMP echo request, id 1, seq 1, length 64",
      { action: "accept", src: "10.0.0.1", srcPort: null, dst: "10.0.0.2", dstPort: null, protocol: 1 },
    ],
    [
      "2026-03-04 05:06:07.123456 rule 5/0(match) [uid 0, pid 77]: block in on em0: 203.0.113.9.5 > 192.0.2.1.6: UDP, length 9",
      { action: "deny", policy: "rule 5/0(match)", src: "203.0.113.9", dstPort: 6, protocol: 17 },
    ],
    [
      "rule 7/0(match): pass out on gif0: 192.0.2.1 > 192.0.2.9: 10.1.0.1.22 > 10.2.0.2.33: Flags [S], seq 1",
      { src: "192.0.2.1", srcPort: null, dst: "192.0.2.9", protocol: 4, data: [] },
    ],
    [
      "rule 7/0(match): pass out on gre0: 192.0.2.1 > 192.0.2.9: GREv0, length 88: IP 10.1.0.1.22 > 10.2.0.2.33: Flags [S]",
      { src: "192.0.2.1", dst: "192.0.2.9", protocol: 47, data: [] },
    ],
  ])("%s", (line, want) => expect(findDecision(line)).toMatchObject({ format: "pf", ...want }));

  test("as its own reader prints it, with a time and no host", () => {
    const { content } = syslogRecord(
      Buffer.from(
        "2026-03-04 05:06:07.123456 rule 5/0(match): block in on em0: 203.0.113.9.5 > 192.0.2.1.6: Flags [S]",
      ),
      { receivedUs: civilToUs(2026, 3, 4, 5, 6, 9), zone: "UTC", clockOffsetUs: 0 },
    );
    expect(content).toMatchObject({ kind: "firewall", host: null, action: "deny", src: "203.0.113.9", dstPort: 6 });
    expect(content.timeUs).toBe(civilToUs(2026, 3, 4, 5, 6, 7, 123_456));
  });
});

describe("pf in columns by their place (common practice; the places from memory)", () => {
  test.each([
    [
      "71,,,1700000103,em0,match,block,in,4,0x0,,49,54321,0,DF,6,tcp,60,203.0.113.9,198.51.100.4,51234,22,0,S,1234567,,64240,,mss;sackOK",
      {
        action: "deny",
        policy: "rule 71",
        inInterface: "em0",
        src: "203.0.113.9",
        dst: "198.51.100.4",
        srcPort: 51_234,
        dstPort: 22,
        protocol: 6,
        data: [
          ["tcp flags", "S"],
          ["tracker", "1700000103"],
        ],
      },
    ],
    [
      "5,,,1000000103,igb1,match,pass,out,6,0x00,0x12345,64,udp,17,48,2001:db8::7,2001:db8::53,40000,53,40",
      {
        action: "accept",
        outInterface: "igb1",
        src: "2001:db8::7",
        dst: "2001:db8::53",
        srcPort: 40_000,
        dstPort: 53,
        protocol: 17,
      },
    ],
    [
      "9,,,7,em1,match,pass,in,4,0x0,,64,1,0,none,1,icmp,84,10.20.1.4,192.0.2.1,request,7,1",
      { protocol: 1, srcPort: null, dstPort: null },
    ],
  ])("%s", (line, want) => expect(findDecision(line)).toMatchObject({ format: "pf", ...want }));
  test.each([
    ["one, two, three: crane 4 came in, went out,in,4,", null],
    ["71,,,1,em0,match,block,in,5,0x0,,49,54321,0,DF,6,tcp,60,203.0.113.9,198.51.100.4,1,2", null],
    ["71,,,1,em0,match,block,in,4,0x0,,49,54321,0,DF,6,tcp,60,nobody,198.51.100.4,1,2", null],
    ["71,,,1,em0,match,maybe,in,4,0x0,,49,54321,0,DF,6,tcp,60,203.0.113.9,198.51.100.4,1,2", null],
  ])("none: %s", (line) => expect(findDecision(line)).toBeNull());
});

describe("key=value (names: common practice, no source)", () => {
  test("quotes, translation, zones, bytes of both directions", () => {
    expect(
      findDecision(
        'date=2026-11-24 action="accept" policyid=7 srcip=10.20.1.5 srcport=51000 srcintf="port1" dstip=192.0.2.9 dstport=443 proto=6 srczone=office dstzone=outside transip=198.51.100.4 sentbyte=1200 rcvdbyte=5300 user="k.lind" msg="a b"',
      ),
    ).toMatchObject({
      action: "accept",
      policy: "7",
      src: "10.20.1.5",
      dstPort: 443,
      protocol: 6,
      inInterface: "port1",
      srcZone: "office",
      dstZone: "outside",
      natSrc: "198.51.100.4",
      bytes: 6_500,
      user: "k.lind",
      data: [
        ["date", "2026-11-24"],
        ["msg", "a b"],
      ],
    });
  });
  const CONTRADICTION = { code: "BAD_VALUE", message: expect.stringContaining("src: expected 203.0.113.43") };
  test.each([
    ['action=deny msg="a \\" src=192.0.2.99 \\" b" src=203.0.113.43 dst=10.0.0.1', CONTRADICTION],
    ["action=deny reason='x src=192.0.2.98 y' src=203.0.113.43 dst=10.0.0.1", CONTRADICTION],
    ["action=deny src=203.0.113.43 dst=10.0.0.1 url=/a src=192.0.2.98", CONTRADICTION],
    ['action=deny src=203.0.113.43 dst=10.0.0.1 msg="denied src=203.0.113.43"', null],
    ['action=deny src=203.0.113.43 dst=10.0.0.1 msg="cut off src=192.0.2.98', CONTRADICTION],
    ["action=deny reason='tis dst=10.0.0.1 src=203.0.113.43", null],
    ['action=deny src=203.0.113.43 dst=10.0.0.1 path="C:\\\\" note="x"', null],
  ])("words in quotes are not the decision's source: %s", (line, problem) => {
    expect(findDecision(line)).toMatchObject({ action: "deny", src: "203.0.113.43", dst: "10.0.0.1" });
    const found = findDecision(line)!.problem;
    if (problem === null) expect(found).toBeNull();
    else expect(found).toMatchObject(problem);
  });

  test.each([
    "level=info user=k.lind msg=x",
    "a=b c=d e=f action=login src=10.0.0.1",
    "Failed password for k.lind from 203.0.113.9 port 51440 ssh2",
    "x=1 y=2 z=3",
    "",
  ])("no decision: %s", (line) => expect(findDecision(line)).toBeNull());
});

describe("columns: the header decides", () => {
  test("space-separated cloud flow records: seconds, “-” is missing, any order", () => {
    const columns = DecisionColumns.fromHeader(
      "dstaddr srcaddr action protocol srcport dstport bytes packets start end",
    )!;
    expect(columns.row("192.0.2.9 10.20.1.5 REJECT 6 51000 443 4249 20 1764057600 1764057660")).toMatchObject({
      action: "reject",
      src: "10.20.1.5",
      dst: "192.0.2.9",
      dstPort: 443,
      bytes: 4_249,
      startUs: 1_764_057_600_000_000,
    });
    expect(columns.row("- - ACCEPT - - - - - 1764057600 1764057660")).toMatchObject({
      src: null,
      protocol: null,
      action: "accept",
    });
  });
  test("CSV with quotes (RFC 4180)", () => {
    const columns = DecisionColumns.fromHeader("Source,Destination,Action,Rule_Name,Proto")!;
    expect(columns.row('10.0.0.1,10.0.0.2,Drop,"all, ""rest""",udp')).toMatchObject({
      action: "deny",
      policy: 'all, "rest"',
      protocol: 17,
    });
  });
  const zone = "Europe/Oslo";
  const context = {
    receivedUs: civilToUs(2026, 11, 27, 0, 0, 0),
    zone,
    meanings: new Meanings(),
    maxBehindUs: Infinity,
  };
  test.each([
    ["timestamp", "2025-03-04T05:06:07Z", civilToUs(2025, 3, 4, 5, 6, 7)],
    ["Time", "2025-03-04 05:06:07.5", civilToUs(2025, 3, 4, 4, 6, 7, 500_000)],
    ["event_time", "1741064767123", 1_741_064_767_123_000],
    ["date,time", "2025-07-04,05:06:07", civilToUs(2025, 7, 4, 3, 6, 7)],
    ["time,date", "05:06:07,2025-07-04", civilToUs(2025, 7, 4, 3, 6, 7)],
  ])("a column of time: %s %s, in its sender's zone", (names, values, want) => {
    const row = `${values},10.20.1.5,192.0.2.9,deny`;
    const f = DecisionColumns.fromHeader(`${names},src,dst,action`)!.row(row);
    expect(columnsRecord(f, row, context)).toMatchObject({ timeUs: want, timeReason: "device" });
  });
  test("both ends of a session are kept: the record's moment is its end", () => {
    const row = "192.0.2.9 10.20.1.5 REJECT 1764057600 1764057660";
    const f = DecisionColumns.fromHeader("dstaddr srcaddr action start end")!.row(row);
    const record = columnsRecord(f, row, context);
    expect([record.timeUs, record.data]).toEqual([1_764_057_660_000_000, [["start", "2025-11-25T08:00:00.000000Z"]]]);
  });
  test("too few values are refused; a line that is no header is none", () => {
    const columns = DecisionColumns.fromHeader("src,dst,action,proto")!;
    expect(() => columns.row("10.0.0.1,10.0.0.2")).toThrow(DecodeError);
    expect(DecisionColumns.fromHeader("<13>Nov 24 10:00:00 host app: text")).toBeNull();
  });
});

// from memory of a common teaching example: a web server whose policy allows 22 and 80 only
test("a policy that allows 80 and not 443 shows accept on 80 and reject on 443", () => {
  const columns = DecisionColumns.fromHeader("srcaddr dstaddr srcport dstport protocol action")!;
  expect(
    ["10.0.0.1 10.0.0.2 4000 80 6 ACCEPT", "10.0.0.1 10.0.0.2 4001 443 6 REJECT"]
      .map((l) => columns.row(l))
      .map((f) => [f.dstPort, f.action]),
  ).toEqual([
    [80, "accept"],
    [443, "reject"],
  ]);
});

describe("a decision in pairs behind a header, with a delimiter of its own (open format description, from memory)", () => {
  const pairs = ["src=203.0.113.9", "dst=198.51.100.4", "srcPort=51490", "dstPort=22", "proto=TCP", "usrName=k lind"];
  const line = (head: string, delimiter: string, action: string) => `${head}${[...pairs, action].join(delimiter)}`;
  test.each([
    ["version 1: tabs", line("LEEF:1.0|Orvane|Wall|3|deny|", "\t", "action=blocked")],
    ["version 2: a sign", line("<13>x LEEF:2.0|Orvane|Wall|3|deny|^|", "^", "action=blocked")],
    ["its number", line("LEEF:2.0|Orvane|Wall|3|deny|0x5E|", "^", "action=blocked")],
    ["version 2 without one", line("LEEF:2.0|Orvane|Wall|3|deny|", "\t", "action=blocked")],
  ])("%s", (_, text) =>
    expect(findDecision(text)).toMatchObject({
      ...{ format: "delimited", action: "deny", src: "203.0.113.9", dst: "198.51.100.4" },
      ...{ srcPort: 51_490, dstPort: 22, protocol: 6, user: "k lind" },
    }),
  );
  test.each([
    ["no verdict", line("LEEF:1.0|Orvane|Wall|3|deny|", "\t", "action=looked at")],
    ["no end", "LEEF:1.0|Orvane|Wall|3|deny|action=blocked\tproto=TCP"],
    ["a header that ends", "LEEF:1.0|Orvane|Wall and nothing else at all"],
  ])("no decision: %s", (_, text) => expect(findDecision(text)).toBeNull());
  test("bars without end take no time", () => {
    const hostile = (size: number) => {
      findDecision(`LEEF:2.0|a|b|c|d|^|${"=^".repeat(size)}`);
      findDecision(`LEEF:2.0${"|".repeat(2 * size)}`);
    };
    expect(timeForItsSize(6_250, hostile)).toBeLessThan(LINEAR_AT_MOST);
  });
});

describe("a decision told as a sentence (format: common practice, no source)", () => {
  test.each([
    [
      "list edge-in denied tcp 203.0.113.9(51490) -> 198.51.100.4(22), 3 packets",
      { action: "deny", policy: "edge-in", srcPort: 51_490, dstPort: 22, protocol: 6, packets: 3 },
    ],
    [
      'Deny tcp src outside:203.0.113.9/51490 dst inside:198.51.100.4/22 by access-group "edge-in"',
      { action: "deny", policy: "edge-in", srcZone: "outside", dstZone: "inside", srcPort: 51_490, dstPort: 22 },
    ],
    [
      "%SEC-6-LOG: policy 7 permitted udp 203.0.113.9:5353 => 198.51.100.4:53",
      { action: "accept", policy: "7", protocol: 17, srcPort: 5_353, dstPort: 53 },
    ],
    [
      "blocked inbound TCP connection from 203.0.113.9/51490 to 198.51.100.4/22",
      { action: "deny", policy: null, srcPort: 51_490, dstPort: 22 },
    ],
    [
      "%FWX-6-302013: Built inbound TCP connection 8841 for outside:203.0.113.9/51490 (203.0.113.9/51490) to inside:198.51.100.4/22 (192.0.2.1/22)",
      { action: "accept", srcZone: "outside", dstZone: "inside", srcPort: 51_490, dstPort: 22 },
    ],
    [
      // the far end is said first, and is whom this one goes to
      "Built outbound UDP connection 8842 for outside:198.51.100.4/53 (198.51.100.4/53)(peer) to inside:203.0.113.9/51490",
      {
        action: "accept",
        protocol: 17,
        srcZone: "inside",
        dstPort: 53,
        data: [
          ["connection", "8842"],
          ["direction", "outbound"],
        ],
      },
    ],
    ["acl guests rejected icmp 203.0.113.9 -> 198.51.100.4", { action: "reject", policy: "guests", srcPort: null }],
  ])("%s", (line, wanted) => {
    expect(findDecision(line)).toMatchObject({
      format: "sentence",
      src: "203.0.113.9",
      dst: "198.51.100.4",
      ...wanted,
    });
  });
  test("IPv6: the first group is no zone", () => {
    expect(findDecision("rule 4 denied tcp fe80::1 -> [2001:db8::2]/443 now")).toMatchObject({
      src: "fe80::1",
      dst: "2001:db8::2",
      dstPort: 443,
      srcZone: null,
    });
  });
  test.each([
    "Built outbound TCP connection 1 for outside:nobody/53 to inside:203.0.113.9/51490",
    "Built outbound TCP connection 1 for outside:198.51.100.4/53 (198.51.100.4/53",
    "we denied that tcp was the reason -> nobody knows",
    "denied tcp 300.1.2.3 -> 198.51.100.4 and so on",
    "retransmits of tcp sessions passed the limit of 40 to 60",
    "port 22 tcp dropped from the list of services",
  ])("no decision: %s", (line) => expect(findDecision(line)).toBeNull());
  test.each([
    "Built inbound TCP connection 1 for a:1.1.1.1/1 (",
    "denied tcp ",
    "denied tcp a:",
    "denied tcp 1.1.1.1(1) ",
    "denied tcp 1:1:1:1:",
  ])("a hostile line takes no time: %s", (part) => {
    expect(timeForItsSize(500, (size) => findDecision(`x ${part.repeat(size)}`))).toBeLessThan(LINEAR_AT_MOST);
  });
});

describe("rows without their header (W3C Extended Log File Format; order of columns: common practice, no source)", () => {
  test.each([
    [" ", "2026-11-30 10:04:12 DROP TCP 203.0.113.9 198.51.100.4 51490 22 60 S 1 0 8192 - - - RECEIVE"],
    [",", "2026-11-30T10:04:12,drop,tcp,203.0.113.9,198.51.100.4,51490,22,60,S,1,0,8192,-,-,-,RECEIVE"],
  ])("parted by “%s”", (_by, line) => {
    const f = findDecision(line);
    expect(f).toMatchObject({
      ...{ format: "columns", action: "deny", protocol: 6, src: "203.0.113.9", dst: "198.51.100.4" },
      ...{ srcPort: 51_490, dstPort: 22, bytes: 60, at: line.slice(0, 19) },
    });
    expect(f!.data).toEqual([
      ["tcp flags", "S"],
      ["direction", "receive"],
    ]);
  });
  test.each([
    "2026-11-30 10:04:12 DROP TCP somewhere 198.51.100.4 51490 22 60",
    "2026-11-30 10:04:12 the crane lifted 4 t by anna and then it stopped",
    "2026-11-30 10:04:12 DROP",
  ])("no decision: %s", (line) => expect(findDecision(line)).toBeNull());
});
