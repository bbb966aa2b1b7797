import fc from "fast-check";
import { DecodeError } from "../../base/bytes/index.js";
import { Meanings } from "../../meaning/index.js";
import { windowsRecord } from "../../normalise/index.js";
import { effort } from "../../testing/node/effort.js";
import { withoutStacks } from "../../testing/without-stacks.js";
import { EventCutter, eventIdentity, parseEvent, readEvents } from "./index.js";

const NAMESPACE = "http://schemas.microsoft.com/win/2004/08/events/event";
const event = (
  o: {
    id?: number;
    level?: number;
    keywords?: string;
    data?: string;
    provider?: string;
    more?: string;
    time?: string;
  } = {},
) =>
  `<Event xmlns="${NAMESPACE}"><System><Provider Name="${o.provider ?? "Microsoft-Windows-Security-Auditing"}"/><EventID Qualifiers="0">${o.id ?? 4624}</EventID><Level>${o.level ?? 0}</Level><Keywords>${o.keywords ?? "0x8020000000000000"}</Keywords><TimeCreated SystemTime="${o.time ?? "2026-11-24T10:00:00.1234567Z"}"/><EventRecordID>18446744073709551615</EventRecordID><Execution ProcessID="4" ThreadID="8"/><Channel>Security</Channel><Computer>dc-1.orvane.example</Computer></System>${o.data ?? ""}${o.more ?? ""}</Event>`;

const NOW = Date.UTC(2026, 10, 24, 10, 0, 5) * 1000;
const record = (xml: string) =>
  windowsRecord(new TextEncoder().encode(xml), { receivedUs: NOW, clockOffsetUs: 0, meanings: new Meanings() }).content;
const read = (text: string) => [...readEvents(text)].map((e) => ("problem" in e ? e.problem.code : e.event.eventId));

describe("event XML (published Event schema)", () => {
  test("system fields; seven digits of a second are cut, not rounded; record ids beyond 2^53", () => {
    expect(parseEvent(event({ time: "2026-11-24T10:00:00.9999999Z" }))).toMatchObject({
      eventId: 4624,
      level: 0,
      audit: "success",
      timeUs: Date.UTC(2026, 10, 24, 10) * 1000 + 999_999,
      recordId: "18446744073709551615",
      log: "Security",
      computer: "dc-1.orvane.example",
      processId: "4",
    });
  });
  test("a process that the data leave out as “-” is the one of Execution", () => {
    const data = '<EventData><Data Name="ProcessName">-</Data></EventData>';
    expect(record(event({ data })).process).toBe("4");
  });
  test.each([
    ["0x8020000000000000", "success"],
    ["0x8010000000000000", "failure"],
    ["0x8000000000000000", null],
    ["nonsense", null],
  ])("keywords %s: audit %s", (keywords, audit) => expect(parseEvent(event({ keywords })).audit).toBe(audit));
  test("data named, unnamed, repeated and empty", () => {
    const data = `<EventData><Data Name="A">1</Data><Data>two</Data><Data Name="A">3</Data><Data Name="E"/><Binary>FF00</Binary></EventData>`;
    expect(parseEvent(event({ data })).data).toEqual([
      ["A", "1"],
      ["2", "two"],
      ["A", "3"],
      ["E", ""],
      ["Binary", "FF00"],
    ]);
  });
  test("UserData in a namespace of its own, with prefixes", () => {
    const data = `<UserData><l:LogFileCleared xmlns:l="x" kind="all"><l:SubjectUserName>k.lind</l:SubjectUserName><l:In><l:Deep>1</l:Deep></l:In></l:LogFileCleared></UserData>`;
    expect(parseEvent(event({ data })).data).toEqual([
      ["kind", "all"],
      ["SubjectUserName", "k.lind"],
      ["In.Deep", "1"],
    ]);
  });
  test("RenderingInfo explains and never overrides System", () => {
    const more = `<RenderingInfo><Message>An account logged on.</Message><Level>Error</Level><Channel>Other</Channel></RenderingInfo>`;
    expect(parseEvent(event({ more }))).toMatchObject({ message: "An account logged on.", level: 0, log: "Security" });
  });
  test("entities, character references, CDATA and comments", () => {
    const data = `<EventData><Data Name="C">a &amp;&lt;&#65;&#x42;<![CDATA[<raw> & ]]><!-- no --></Data></EventData>`;
    expect(parseEvent(event({ data })).data).toEqual([["C", "a &<AB<raw> & "]]);
  });
});

describe("documents", () => {
  test("one, several after another, several in a root, with and without a declaration", () => {
    expect(read(event())).toEqual([4624]);
    expect(read(`${event({ id: 1 })}\n${event({ id: 2 })}`)).toEqual([1, 2]);
    expect(
      read(`\ufeff<?xml version="1.0"?><Events>${event({ id: 1 })}<!-- x -->${event({ id: 2 })}</Events>`),
    ).toEqual([1, 2]);
  });
  test("a bad event does not take the others with it", () => {
    expect(read(`<Event><System>${event({ id: 1 })}${event({ id: 2 })}`)).toEqual(["TRUNCATED", 1, 2]);
    expect(read(`<Events>${event({ id: 1 })}<Event><System/></Event>${event({ id: 2 })}</Events>`)).toEqual([
      1,
      "BAD_XML",
      2,
    ]);
  });
  // XML 1.0 (names, tags, comments and sections), Namespaces in XML 1.0 (prefixes)
  test.each<[string, string, readonly (number | string)[]]>([
    ["a prefix", event({ id: 7 }).replace("<Event", '<e:Event xmlns:e="urn:x"').replace("</Event>", "</e:Event>"), [7]],
    ["space within the end tag", event({ id: 7 }).replace("</Event>", "</Event\n >"), [7]],
    [
      "an end tag within a section",
      event({ id: 7, data: "<EventData><Data><![CDATA[</Event>]]></Data></EventData>" }),
      [7],
    ],
    ["an event within a comment", `<!-- <Event> ${event({ id: 8 })} -->${event({ id: 7 })}`, [7]],
    ["a > within an attribute", event({ id: 7, data: '<EventData><Data Name="a>b">1</Data></EventData>' }), [7]],
    ["an event within user data", event({ id: 7, data: "<UserData><x><Event><a/></Event></x></UserData>" }), [7]],
    ["a tag that is cut off", `<Event Name="x${event({ id: 7 })}`, ["TRUNCATED", 7]],
    ["another document", "<Foo/>", ["BAD_XML"]],
    ["nothing", "", ["BAD_XML"]],
    ["a comment without end", `${event({ id: 7 })}<!-- ${event({ id: 8 })}`, [7, "TRUNCATED"]],
  ])("%s", (_what, text, want) => {
    expect(read(text)).toEqual(want);
    // the same whatever pieces it comes in
    const cutter = new EventCutter();
    const cuts = [...text].flatMap((c) => [...cutter.push(c)]);
    expect([...cuts, ...cutter.end()].map((c) => ("xml" in c ? "event" : c.problem.code))).toEqual(
      want.map((w) => (typeof w === "number" ? "event" : w)),
    );
  });
  test.each([
    ["entities that grow", `<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><Event>&b;</Event>`],
    ["an external entity", `<!DOCTYPE x SYSTEM "file:///etc/passwd">${event()}`],
    ["an entity of its own", event({ data: "<EventData><Data>&who;</Data></EventData>" })],
    ["elements without end within one another", `<Event>${"<a>".repeat(200)}</Event>`],
  ])("refused whole: %s", (_what, text) => expect(read(text)).toEqual(["FORBIDDEN_XML"]));
  test("every prefix and random damage: a reason, never anything else", () => {
    const whole = event({ data: `<EventData><Data Name="A">1 &amp; 2</Data></EventData>` });
    for (let n = 0; n < whole.length; n++) read(whole.slice(0, n));
    for (const [at, what] of fc.sample(fc.tuple(fc.nat(whole.length), fc.string({ maxLength: 3 })), {
      seed: 4,
      numRuns: effort(3_000),
    }))
      try {
        parseEvent(whole.slice(0, at) + what + whole.slice(at + 1));
      } catch (e) {
        if (!(e instanceof DecodeError)) throw e;
      }
  });
});

describe("records of events", () => {
  test("4625: failure, searchable as such, with the source and the account", () => {
    const data = `<EventData><Data Name="SubjectUserName">-</Data><Data Name="TargetUserName">ORVANE\\k.lind</Data><Data Name="IpAddress">::ffff:10.20.1.77</Data><Data Name="IpPort">50123</Data></EventData>`;
    expect(record(event({ id: 4625, keywords: "0x8010000000000000", data }))).toMatchObject({
      kind: "windows",
      severity: 5,
      originalSeverity: "level 0, audit failure",
      category: "logon",
      outcome: "failure",
      users: ["k.lind"],
      src: "10.20.1.77",
      srcPort: 50_123,
      event: "4625",
      app: "Microsoft-Windows-Security-Auditing",
    });
  });
  test("an id means something only together with its provider: 7040 of another one is unknown, and never 17040", () => {
    expect(record(event({ id: 7040, provider: "Service Control Manager", level: 4 }))).toMatchObject({
      category: "configuration",
    });
    expect(record(event({ id: 7040, provider: "Another" }))).toMatchObject({ category: "other" });
    expect(record(event({ id: 17_040, provider: "Service Control Manager" }))).toMatchObject({ category: "other" });
  });
  test.each([
    [1, 2],
    [2, 3],
    [3, 4],
    [4, 6],
    [5, 7],
    [0, 6],
  ])("level %i is severity %i", (level, severity) =>
    expect(record(event({ provider: "Any", level, keywords: "0x80000000000000" })).severity).toBe(severity),
  );
  test("what a check found by its status: 4776", () => {
    const data = (status: string) =>
      `<EventData><Data Name="TargetUserName">a</Data><Data Name="Status">${status}</Data></EventData>`;
    expect(record(event({ id: 4776, data: data("0x0") })).outcome).toBe("success");
    expect(record(event({ id: 4776, data: data("0xc000006a") })).outcome).toBe("failure");
  });
  test("XML that is no event is kept with its reason and its bytes", () => {
    expect(record("<Event><System/></Event>")).toMatchObject({
      kind: "windows",
      problem: { code: "BAD_XML" },
      marks: ["problem"],
    });
  });
});

test.each([
  ["comments that do not end", "<Event><!--"],
  ["sections that do not end", "<Event><![CDATA["],
  ["end tags that do not end", "<Event></"],
  ["values that do not end", "<Event a='"],
  ["instructions that do not end", "<Event><?x "],
  ["end tags of another name", "<Event></x"],
])("%s cost time in proportion to their length", (_what, part) => {
  withoutStacks(() => {
    let problems = 0;
    // were it quadratic, this would run into the limit of all tests
    for (const item of readEvents(part.repeat(200_000))) if ("problem" in item) problems++;
    expect(problems).toBeGreaterThan(0);
  });
});

describe("what tells an event from every other", () => {
  const identity = (more: string) => eventIdentity(`<Event><System>${more}</System><EventData/></Event>`);
  const TIME = '<TimeCreated SystemTime="2026-11-24T10:00:00.1234567Z"/>';
  const REST = "<EventRecordID>17</EventRecordID><Channel>Security</Channel><Computer>DC-1.orvane.example</Computer>";
  test("computer, log, number and moment, however it is written; not what it says beside", () => {
    expect(identity(TIME + REST)).toBe("2026-11-24t10:00:00.1234567z 17 security dc-1.orvane.example");
    expect(eventIdentity(event({ more: "<RenderingInfo/>" }))).toBe(eventIdentity(event({})));
    expect(eventIdentity(event({ time: "2026-11-24T10:00:00.1234568Z" }))).not.toBe(eventIdentity(event({})));
    expect(eventIdentity(event({ data: "<UserData><Computer>other</Computer></UserData>" }))).toBe(
      eventIdentity(event({})),
    );
  });
  test.each([
    ["no number", TIME + REST.replace("17", "")],
    ["no moment", REST],
    ["no computer", `${TIME}<EventRecordID>1</EventRecordID><Channel>a</Channel>`],
  ])("%s: nothing tells it", (_, system) => {
    expect(identity(system)).toBeNull();
  });
  test.each(["<TimeCreated ", "<EventRecordID> ", "<System", " ", "<Channel>"])(
    "long nonsense of %j tells nothing",
    (piece) => {
      expect(eventIdentity(`<System>${piece.repeat(1_000_000 / piece.length)}`)).toBeNull();
      expect(eventIdentity(`<System>${piece.repeat(500)}</System>`)).toBeNull();
    },
  );
});
