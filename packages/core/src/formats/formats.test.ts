import fc from "fast-check";
import { isRead, readerOf } from "../decode/lines/index.js";
import { Meanings } from "../meaning/index.js";
import { emptyContent, type RecordContent } from "../model/record/index.js";
import { LINEAR_AT_MOST, timeForItsSize } from "../testing/node/linear-time.js";
import { testRecord } from "../testing/record.js";
import { applyFormats, mark, OwnFormat, proposeForms, readyFormat, templateOf } from "./index.js";

const line = (template: string) => ({ form: { is: "line" as const, template }, names: {} });
/** What a form reads, as `name=text`, or where it stopped and what it expected. */
const says = (format: Parameters<typeof readerOf>[0], text: string): string => {
  const reading = readerOf(format).read(text);
  return isRead(reading)
    ? reading.values.map((v) => `${v.name}=${v.text}`).join(" ")
    : `${reading.at}: ${reading.expected}`;
};

describe("a line with values in it", () => {
  test.each([
    ["crane {crane:number} lifted {load:number} t", "crane 4 lifted 12.5 t", "crane=4 load=12.5"],
    ["crane {crane:number} lifted {load:number} t", "crane four lifted 12.5 t", "6: a number"],
    ["crane {crane:number} lifted {load:number} t", "crane 4 lifted 12.5 t at once", "21: the end of the line"],
    ["crane {crane:number} lifted {load:number} t  ", "crane 4 lifted -3 t \t", "crane=4 load=-3"],
    // one blank or several: what is filled up to a width is read whatever it is
    ["{level:word} ({pool:word}) {rest}", "WARN  (pool-3) slow", "level=WARN pool=pool-3 rest=slow"],
    ["{level:word}  ({pool:word}) {rest}", "ERROR (pool-3)   slow  again ", "level=ERROR pool=pool-3 rest=slow  again"],
    ["LOAD {load:number}KG  BOOM {boom}", "LOAD     980KG BOOM 7", "load=980 boom=7"],
    ["{what}  by  hand of {who}", "shut  by door   by hand  of k.lind", "what=shut  by door who=k.lind"],
    ["{what} by {who}", "opened  by   hand", "what=opened who=hand"],
    ["at {where}: {what}", "at  pier 4: shut", "where=pier 4 what=shut"],
    ["a {b:word}", "a b c", "3: the end of the line"],
    ["a {b:word} c", "a bc", "2: a word"],
    ["ab {c}", "a b c", '0: "ab "'],
    // a value goes to the first place at which what follows stands
    ["{what} by {who}", "opened by hand by k.lind", "what=opened who=hand by k.lind"],
    ["{a}{b}", "", null],
    ["{a:word}{b}", "x y", "a=x b= y"],
    ["{n:number}{unit:word} done", "40s done", "n=40 unit=s"],
    // addresses with what may look like more of them
    [
      "from {src}.{src port} to {dst}.",
      "from 10.20.1.4.5123 to 192.0.2.7.",
      "src=10.20.1.4 src port=5123 dst=192.0.2.7",
    ],
    ["{src}:{src port} > {dst}:", "10.20.1.4:443 > 192.0.2.7:", "src=10.20.1.4 src port=443 dst=192.0.2.7"],
    ["peer {src} up", "peer 2001:db8::7 up", "src=2001:db8::7"],
    ["peer {src} up", "peer fe-80 up", "5: an address"],
    ["[{dst}]:{dst port}", "[2001:db8::7]:53", "dst=2001:db8::7 dst port=53"],
    ["mac {m:mac} on", "mac 00:00:5e:00:53:01 on", "m=00:00:5e:00:53:01"],
    ["name {n:quoted} end", 'name "a \\"b\\" c" end', 'n=a "b" c'],
    ["name {n:quoted} end", 'name "a end', "5: something in quotes"],
    // what is passed over, and braces themselves
    ["{:word} {} {{x}} {v}", "a b c {x} 7", "=a =b c v=7"],
    // what stands there is read on
    ["evt {code:word} {rest:pairs}", 'evt 17 src=10.0.0.1 why="no key"', "code=17 src=10.0.0.1 why=no key"],
    ["evt {x:json}", 'evt {"a":{"b":1}}', "a.b=1"],
    ["evt {x:json}", "evt {a}", "4: JSON"],
  ])("%s on %s", (template, text, want) => {
    if (want === null) expect(() => readerOf(line(template))).toThrow(/something must stand/);
    else expect(says(line(template), text)).toBe(want);
  });
  test.each([
    ["no value at all", /names no value/],
    ["{a", /is not closed/],
    ["a} {b}", /closes nothing/],
    ["{a:colour}", /expected a type of text, word/],
    ["{a}{b}", /between \{a\} and \{b\}/],
    ["{a},".repeat(150), /at most 201 parts/],
  ])("%s cannot be", (template, why) => expect(() => readerOf(line(template))).toThrow(why));
});

describe("other forms", () => {
  const pairs = (between: " " | "," | ";", names = {}) => ({
    form: { is: "pairs" as const, between, equals: "=" as const },
    names,
  });
  test.each<[string, Parameters<typeof readerOf>[0], string, string]>([
    ["pairs", pairs(" "), `a=1 note="x y" who='k l' z=`, "a=1 note=x y who=k l z="],
    ["pairs with commas", pairs(","), "a=1, b=two words ,c=3", "a=1 b=two words c=3"],
    [
      "pairs renamed and left out",
      pairs(" ", { ip: "src", z: "", n: "load:number" }),
      "ip=10.0.0.1 z=9 n=x",
      "src=10.0.0.1 n=x",
    ],
    ["none of the pairs that are known", pairs(" ", { ip: "src" }), "a=1 b=2", "0: one of ip"],
    ["JSON", { form: { is: "json" }, names: { "who.id": "user" } }, '{"who":{"id":"moe"},"n":2}', "user=moe n=2"],
    ["no JSON", { form: { is: "json" }, names: {} }, "plain", "0: a JSON object"],
    [
      "columns",
      { form: { is: "columns", by: ",", names: ["", "src", "load:number"] }, names: {} },
      '9,10.0.0.1,"1.5"',
      "=9 src=10.0.0.1 load=1.5",
    ],
    [
      "missing ones",
      { form: { is: "columns", by: ",", names: ["a", "src", "load:number"] }, names: {} },
      "x,-,",
      "a=x",
    ],
    [
      "one too many",
      { form: { is: "columns", by: ";", names: ["a", "b"] }, names: {} },
      "x;y;z",
      "5: 2 values, and 3 are there",
    ],
    [
      "a quote that stays open",
      { form: { is: "columns", by: ",", names: ["a", "b"] }, names: {} },
      'x,"y',
      "4: a closing quote",
    ],
    [
      "of another type",
      { form: { is: "columns", by: ",", names: ["a", "src"] }, names: {} },
      "x,harbour",
      "2: an address for src",
    ],
    [
      "positions",
      {
        form: {
          is: "positions",
          columns: [
            { from: 0, to: 4, name: "a" },
            { from: 4, name: "src" },
          ],
        },
        names: {},
      },
      "ab  10.0.0.1",
      "a=ab src=10.0.0.1",
    ],
    [
      "a line too short",
      { form: { is: "positions", columns: [{ from: 9, name: "a" }] }, names: {} },
      "abc",
      "3: a at 9",
    ],
  ])("%s", (_, format, text, want) => expect(says(format, text)).toBe(want));
});

const meanings = new Meanings();
const content = (text: string, parts: Partial<RecordContent> = {}): RecordContent =>
  Object.assign(emptyContent("syslog", 0, 0), { text, severity: 5 as const, data: [["a", "1"]] }, parts);
const apply = (formats: object[], c: RecordContent, matches: (app: string | null) => boolean = () => true) =>
  applyFormats(
    formats.map((f, i) => readyFormat(i, OwnFormat.parse({ name: `format ${i}`, ...f }), (r) => matches(r.app))),
    c,
    (one) => testRecord({ ...one }),
    meanings,
  );

describe("a record with what was read in it", () => {
  test("fields, named values, words of its own; text and bytes stay", () => {
    const { content: c, fits } = apply(
      [
        {
          form: { is: "line", template: "{severity} crane {crane:number}: {outcome}, {load:number} t by {user}" },
          words: { severity: { WRN: "warning" }, outcome: { OK: "success" } },
          sets: { category: "service", app: "cranes", event: "lift" },
        },
      ],
      content("WRN crane 4: OK, 12.5 t by ORVANE\\K.Lind", { head: "<13>x ", tail: "\n" }),
    );
    expect(fits).toBe(0);
    expect(c).toMatchObject({
      kind: "syslog",
      severity: 4,
      originalSeverity: "notice",
      outcome: "success",
      category: "service",
      app: "cranes",
      event: "lift",
      text: "WRN crane 4: OK, 12.5 t by ORVANE\\K.Lind",
      head: "<13>x ",
      data: [
        ["a", "1"],
        ["crane", "4"],
        ["load", "12.5"],
        ["format", "format 0"],
      ],
    });
    expect(c.users).toHaveLength(1);
  });
  test("what does not fit its field stays among the named values", () => {
    const { content: c } = apply(
      [{ form: { is: "pairs", between: " ", equals: "=" } }],
      content("severity=purple src=harbour dst=10.0.0.1"),
    );
    expect(c).toMatchObject({ severity: 5, src: null, dst: "10.0.0.1" });
    expect(c.data).toEqual(
      expect.arrayContaining([
        ["severity", "purple"],
        ["src", "harbour"],
      ]),
    );
  });
  test("what was decided about which ends is a firewall's decision", () => {
    const { content: c } = apply(
      [
        {
          form: { is: "columns", by: ",", names: ["action", "src", "dst", "dst port", "policy"] },
          words: { action: { NEIN: "deny" } },
        },
      ],
      content("NEIN,203.0.113.9,10.20.1.4,22,west-7"),
    );
    expect(c).toMatchObject({ kind: "firewall", category: "policy", action: "deny", outcome: "failure", dstPort: 22 });
    expect(c.severity).toBe(Math.min(5, meanings.severity("firewall", "deny", 6)));
    expect(c.data).toContainEqual(["policy", "west-7"]);
  });
  test("the first that fits is the one; whom a format is not meant for it leaves alone", () => {
    const two = [line("x {a}"), line("x {b}")];
    expect(apply(two, content("x 1")).fits).toBe(0);
    expect(apply([{ ...two[0], filter: "app is other" }, two[1]!], content("x 1"), () => false).fits).toBe(1);
    expect(apply(two, content("y 1"))).toMatchObject({ fits: null, near: [] });
    // no line that somebody wrote
    expect(apply(two, content("x 1", { kind: "windows" })).fits).toBe(null);
  });
  test("lines it is meant for and nearly fits are told, with where they went another way", () => {
    const format = { ...line("crane {crane:number} lifted {load:number} t"), filter: "app is cranes" };
    expect(apply([format], content("crane 4 lifted 12 kg")).near).toEqual([
      { id: 0, miss: { at: 17, expected: '" t"', share: 0.8 } },
    ]);
    expect(apply([format], content("started")).near).toEqual([]);
  });
  test("a test line that does not fit stops its being saved", () => {
    const format = OwnFormat.parse({ name: "a", ...line("x {n:number}"), examples: ["x 1", "x one"] });
    expect(() => readyFormat(1, format, () => true)).toThrow(
      'test line 2 does not fit: at 2 expected a number, got "one"',
    );
  });
});

test.each<[string, object]>([
  ["a name of two lines", { name: "a\nb" }],
  ["what no store takes in a line", { form: { is: "line", template: "a\u0000{b}" } }],
  ["nor in a test line", { examples: ["a\u0000"] }],
  ["half a sign", { form: { is: "line", template: "\ud800{b}" } }],
  ["nor in its words", { words: { severity: { "a\u0000": "error" } } }],
  ["a field that has no words", { words: { src: { a: "b" } } }],
  ["a form there is none of", { form: { is: "song" } }],
])("no format: %s", (_, wrong) =>
  expect(OwnFormat.safeParse({ name: "a", form: { is: "line", template: "a {b}" }, ...wrong }).success).toBe(false),
);

describe("made of lines", () => {
  test.each([
    [
      "lines that differ here and there",
      ["crane 4 lifted 12.5 t by k.lind", "crane 11 lifted 3 t by r.moe"],
      "line",
      "crane {value 1:number} lifted {value 2:number} t by {value 3:word}",
    ],
    [
      "one line: numbers and addresses",
      ["login from 10.0.0.7 user moe 3 tries"],
      "line",
      "login from {src} user moe {value 2:number} tries",
    ],
    ["JSON", ['{"user":"a","n":1}', '{"user":"b"}'], "json", null],
    ["pairs", ["a=1 src=10.0.0.1 c=x", "a=2 src=10.0.0.2 c=y"], "pairs", null],
    ["columns", ["1;x;10.0.0.1;2.5", "2;y;10.0.0.2;-"], "columns", null],
  ])("%s", (_, lines, is, template) => {
    const [first] = proposeForms(lines);
    expect(first!.form.is).toBe(is);
    if (template !== null) expect(first!.form).toEqual({ is: "line", template });
    const { read } = readerOf(first!);
    for (const l of lines) expect([l, isRead(read(l))]).toEqual([l, true]);
    if (is === "columns")
      expect(first!.form).toMatchObject({
        names: ["column 1:number", "column 2", "column 3:address", "column 4:number"],
      });
    if (is === "pairs") expect(first!.names).toEqual({ src: "src" });
  });
  test("parts are marked one after another, and one that touches another takes its place", () => {
    const text = "door {7} opened by moe";
    const one = mark("", text, { start: 6, end: 7, name: "door:number" });
    expect(one).toBe("door {{{door:number}}} opened by moe");
    const two = mark(one, text, { start: 19, end: 22, name: "user" });
    expect(says(line(two), text)).toBe("door=7 user=moe");
    expect(mark(two, text, { start: 5, end: 8, name: "door" })).toBe("door {door} opened by {user}");
  });
});

test.each([
  ["blanks", "{a} b {c}", (n: number) => " ".repeat(n)],
  ["the word before blanks, over and over", "{a} b c {d}", (n: number) => " b  ".repeat(n)],
  ["blanks behind the word", "{a} b c {d}", (n: number) => ` b${" ".repeat(n)}`],
  ["half of the word", "{a} bbbbbb {d}", (n: number) => "b".repeat(n)],
])("a line made to be slow is read in the time of its length: %s", (_what, template, hostile) => {
  const { read } = readerOf(line(template));
  expect(timeForItsSize(1_000, (size) => read(`${hostile(size)}!`))).toBeLessThan(LINEAR_AT_MOST);
});

test("what a template wrote it reads again", () => {
  const value = fc.string({ minLength: 1, maxLength: 12 }).filter((s) => !/[|\s]/.test(s));
  fc.assert(
    fc.property(fc.array(fc.tuple(value, value), { minLength: 1, maxLength: 8 }), fc.boolean(), (pairs, quoted) => {
      const text = pairs.map(([literal, v]) => `${literal}|${v}|`).join("");
      let at = 0;
      const marks = pairs.map(([literal, v], i) => {
        const start = at + literal.length + 1;
        at = start + v.length + 1;
        return { start, end: start + v.length, name: `v${i}${quoted ? ":word" : ""}` };
      });
      expect(says(line(templateOf(text, marks)), text)).toBe(pairs.map(([, v], i) => `v${i}=${v}`).join(" "));
    }),
    { seed: 16, numRuns: 300 },
  );
});

test("hostile lines cost time in proportion to their length, and throw nothing", () => {
  const forms: Parameters<typeof readerOf>[0][] = [
    line("{a} b {c:word} {d:address}:{e:port} {f:quoted} {g:pairs}"),
    { form: { is: "pairs", between: " ", equals: "=" }, names: {} },
    { form: { is: "columns", by: ",", names: ["a", "b:number"] }, names: {} },
    { form: { is: "json" }, names: {} },
    { form: { is: "positions", columns: [{ from: 0, name: "a:pairs" }] }, names: {} },
  ];
  const pieces = [" b ", "=", '"', "\\", ",", "10.0.0.1:", "{", "[", "a", "'", ":::", "\u0000", "é", "="];
  const readers = forms.map((f) => readerOf(f));
  let seed = 7;
  const random = (below: number) => {
    seed = (seed * 1_103_515_245 + 12_345) & 0x7fff_ffff;
    return seed % below;
  };
  for (let n = 0; n < 20_000; n++) {
    const text = Array.from({ length: random(24) }, () => pieces[random(pieces.length)]!).join("");
    for (const { read } of readers) read(text);
  }
  // each of these is read in milliseconds: were it quadratic, it would take minutes
  for (const piece of pieces) for (const { read } of readers) read(piece.repeat(60_000));
  for (const text of ["a b ".repeat(50_000), 'x="'.repeat(50_000), "=".repeat(200_000)])
    for (const { read } of readers) read(text);
});

describe("what stands within a line, and in places of it, is proposed too", () => {
  test.each<[string, readonly string[], string]>([
    [
      "JSON behind a sentence",
      ['door 7 says {"user":"moe","ok":true}', 'door 12 says {"user":"a.solli","ok":false}'],
      "door {value 1:number} says {values:json}",
    ],
    [
      "pairs behind a code",
      ["gate-3 [open] src=10.20.1.4 user=moe left=2", "gate-3 [open] src=10.20.1.9 user=kari left=1"],
      "gate-3 [open] {values:pairs}",
    ],
  ])("%s", (_, lines, template) => {
    const proposal = proposeForms(lines).find((p) => p.form.is === "line" && p.form.template === template);
    expect(proposal).toBeDefined();
    for (const l of lines) expect([l, isRead(readerOf(proposal!).read(l))]).toEqual([l, true]);
  });
  test("a date that all lines have in common is a value: tomorrow's have another", () => {
    const template = (...lines: string[]) => proposeForms(lines)[0]!.form;
    expect(
      template("[2026-12-02 10:00:01.123] WARN  (pool-3) held", "[2026-12-02 10:00:02.100] INFO  (pool-1) held"),
    ).toEqual({
      is: "line",
      template: "[{value 1:word} {value 2:word}] {value 3:word}  ({value 4:word}) held",
    });
    expect(template("Dec  2 09:00:01 lock shut", "Dec  2 09:00:01 lock open")).toMatchObject({
      template: "{value 1:word}  {value 2:number} {value 3:word} lock {value 4:word}",
    });
    expect(template("Dec of 2 shut", "Dec of 2 open")).toMatchObject({ template: "Dec of 2 {value 1:word}" });
  });
  test("lines filled up with blanks to one width are one form", () => {
    const lines = ["CRANE03 LOAD  12450KG  BOOM 34.5 OK ", "CRANE11 LOAD    980KG  BOOM 71.0 ERR"];
    const [first] = proposeForms(lines);
    for (const l of lines) expect([l, isRead(readerOf(first!).read(l))]).toEqual([l, true]);
  });
  test("what fits too few of the lines is proposed where nothing else is", () => {
    expect(proposeForms(["a door 1 is open", "2 shut", "somebody knocked at 4"])).toHaveLength(1);
  });
  test("columns at fixed places", () => {
    const lines = [
      "quay-1    10.20.1.4   open       12",
      "hestnes-2 10.20.1.194 closed      7",
      "torvika-4 10.20.6.10  half open 120",
    ];
    const proposal = proposeForms(lines).find((p) => p.form.is === "positions");
    expect(proposal?.form).toMatchObject({
      columns: [{ from: 0, to: 10 }, { from: 10, to: 22, name: "column 2:address" }, { from: 22 }],
    });
    for (const l of lines) expect(isRead(readerOf(proposal!).read(l))).toBe(true);
    // a sentence whose words stand under one another by their length is none
    expect(proposeForms(["door 1 open", "door 2 open", "door 3 shut"]).some((p) => p.form.is === "positions")).toBe(
      false,
    );
  });
});
