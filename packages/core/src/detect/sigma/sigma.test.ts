import fc from "fast-check";
import { SenderDirectory } from "../../model/senders/index.js";
import { compileFilter, parseFilter } from "../../query/filter/index.js";
import { arbitraryFilter, arbitraryRecord, TEST_DIRECTORY } from "../../testing/filters.js";
import { effort } from "../../testing/node/effort.js";
import { testRecord } from "../../testing/record.js";
import type { Rule } from "../rule.js";
import { shippedRules } from "../rules/index.js";
import { readSigma, writeSigma } from "./index.js";
import { SigmaRefusal } from "./refusal.js";
import { detectionOfFilter } from "./write.js";

const NO_SOURCES = new Map<string, string>();
const directory = new SenderDirectory([]);
const rule = (detection: object, over: object = {}) => ({
  title: "A trial",
  id: "12345678-0000-4000-8000-000000000000",
  logsource: { product: "windows", service: "security" },
  detection,
  level: "high",
  ...over,
});
const read = (...documents: object[]) => readSigma(documents, NO_SOURCES);
/** The filter of what was selected, without that of the log source. */
const filterOf = (detection: object, over: object = {}) => {
  const [one] = read(rule(detection, { taxonomy: "sigma", ...over }));
  if (one?.rule?.kind !== "count") throw new Error(JSON.stringify(one));
  return one.rule.filter.replace('kind is windows and log is "Security" and ', "");
};
const matches = (filter: string, r: object) => {
  const parsed = parseFilter(filter, { zone: "UTC" });
  if (!parsed.ok) throw new Error(parsed.error.message);
  return compileFilter(parsed.filter, { directory, nowUs: 0 })(testRecord(r));
};

describe("names of an event that has its own (Sigma's field taxonomy; Microsoft on event 4688; both from memory)", () => {
  const created = (sel: object) =>
    read(rule({ sel, condition: "sel" }, { logsource: { product: "windows", category: "process_creation" } }))[0]!;
  test.each<[object, string]>([
    [{ "Image|endswith": "\\whoami.exe" }, 'data "NewProcessName" like "*\\\\whoami.exe"'],
    [{ parentimage: "C:\\cmd.exe" }, 'data "ParentProcessName" is "C:\\\\cmd.exe"'],
    [{ CommandLine: "whoami" }, 'data "CommandLine" is "whoami"'],
    [{ User: "k.lind" }, 'user is "k.lind"'],
    [{ newprocessname: "x" }, 'data "NewProcessName" is "x"'],
  ])("%j of a process that was created", (sel, filter) => {
    const { rule: made } = created(sel);
    expect(made).toMatchObject({ filter: `kind is windows and log is "Security" and event is 4688 and ${filter}` });
  });
  test.each(["OriginalFileName", "ProcessId", "Hashes", "IntegrityLevel"])(
    "%s is none of them: refused, and another filter for the log source asked for",
    (name) => {
      expect(created({ [name]: "x" })).toMatchObject({
        rule: null,
        why: expect.stringContaining(`has no “${name}”`),
        unknownSource: "product windows, category process_creation",
      });
    },
  );
  test("where a person says what the log source is, names stay as they are", () => {
    const sources = new Map([["product windows, category process_creation", 'log is "Own" and event is 1']]);
    const logsource = { product: "windows", category: "process_creation" };
    const [one] = readSigma(
      [rule({ sel: { OriginalFileName: "x", Image: "y" }, condition: "sel" }, { logsource })],
      sources,
    );
    expect(one!.rule).toMatchObject({
      filter: 'log is "Own" and event is 1 and (data "OriginalFileName" is "x" and data "Image" is "y")',
    });
  });
  test("a started program is found by a rule that names its image", () => {
    const made = created({ "Image|endswith": "\\whoami.exe" }).rule;
    const event = { kind: "windows", event: "4688", host: "dc-1" };
    const data = (image: string) => [
      ["NewProcessName", image],
      ["log", "Security"],
    ];
    const found = (image: string) =>
      matches((made as { filter: string }).filter.replace(' and log is "Security"', ""), {
        ...event,
        data: data(image),
      });
    expect([found("C:\\Windows\\System32\\WHOAMI.EXE"), found("C:\\Windows\\explorer.exe")]).toEqual([true, false]);
  });
  const decided = (action: unknown, modifier = "") =>
    read(
      rule({ sel: { [`action${modifier}`]: action }, condition: "sel" }, { logsource: { category: "firewall" } }),
    )[0]!;
  test.each([
    ["denied", "deny"],
    ["Allow", "accept"],
    ["reject", "reject"],
  ])("a firewall's %s", (word, action) => {
    expect(decided(word).rule).toMatchObject({ filter: `kind is firewall and action is ${action}` });
  });
  test.each([
    ["forward", ""],
    ["den", "|startswith"],
  ])("%s%s is no decision", (word, modifier) => {
    expect(decided(word, modifier)).toMatchObject({ rule: null, why: expect.stringContaining("is no decision here") });
  });
});

describe("a rule", () => {
  // written for this purpose after the forms that the specification names (Sigma specification 2.0.0, from memory)
  test("becomes one that raises once a device, with what it says of itself", () => {
    const [one] = read(
      rule(
        {
          selection: { EventID: 4625, LogonType: [3, 10] },
          filter: { "TargetUserName|endswith": "$" },
          condition: "selection and not filter",
        },
        {
          description: "Refused from the network.",
          tags: ["attack.credential-access", "attack.t1110.003"],
          falsepositives: ["A forgotten service password"],
          references: ["https://docs.example/refused"],
          author: "m.aune",
        },
      ),
    );
    expect(one).toMatchObject({
      source: { key: "product windows, service security", filter: 'kind is windows and log is "Security"' },
      notes: [],
      rule: {
        id: "a-trial-12345678",
        severity: "error",
        kind: "count",
        count: 1,
        key: ["sender"],
        filter:
          'kind is windows and log is "Security" and ((event is "4625" and (data "LogonType" is "3" or data "LogonType" is "10")) and not data "TargetUserName" like "*$")',
        reason: "Refused from the network.",
        notes: "May be harmless: A forgotten service password",
        tags: ["sigma", "attack.credential-access", "attack.t1110.003"],
        references: ["MITRE ATT&CK T1110.003", "https://docs.example/refused"],
      },
    });
  });

  test.each([
    [
      { s: { "Image|endswith": ["\\cmd.exe", "\\sh.exe"] }, condition: "s" },
      '(data "Image" like "*\\\\cmd.exe" or data "Image" like "*\\\\sh.exe")',
    ],
    [
      { s: { "CommandLine|contains|all": ["-a", "-b"] }, condition: "s" },
      '(data "CommandLine" like "*-a*" and data "CommandLine" like "*-b*")',
    ],
    [
      { a1: { User: "x" }, a2: { User: "y" }, b: { User: "z" }, condition: "1 of a* and not b" },
      '((user is "x" or user is "y") and not user is "z")',
    ],
    [{ a: { User: "x" }, _b: { User: "y" }, condition: "all of them" }, '(user is "x")'],
    [{ s: [{ User: "x" }, { EventID: 1 }], condition: "s" }, '(user is "x" or event is "1")'],
    [{ keywords: ["mast", "keel*son"], condition: "keywords" }, '(text like "*mast*" or text like "*keel*son*")'],
    [{ s: { "SourceIp|cidr": ["10.0.0.0/8", "fd00::/8"] }, condition: "s" }, "(src is 10.0.0.0/8 or src is fd00::/8)"],
    [{ s: { "DestinationPort|gte": 1024 }, condition: "s" }, "dst port at least 1024"],
    [{ s: { "KeyLength|lt": 128.5 }, condition: "s" }, 'data "KeyLength" under 128.5'],
    [{ s: { "Extra|exists": false, User: null }, condition: "s" }, '(data "Extra" missing and user missing)'],
    [{ s: { "CommandLine|re|i": "^ab+c/" }, condition: "s" }, 'data "CommandLine" matches /^ab+c\\//'],
    [{ s: { Note: "50\\*" }, condition: "s" }, 'data "Note" is "50*"'],
    [{ s: { "Note|contains": "50\\*" }, condition: "s" }, 'data "Note" matches /^[\\s\\S]*50\\*[\\s\\S]*$/'],
    [{ s: { Note: "" }, condition: "s" }, 'data "Note" is ""'],
    [{ s: { User: "a" }, t: { User: "b" }, condition: ["s", "t"] }, '(user is "a" or user is "b")'],
  ])("%j says %s", (detection, filter) => expect(filterOf(detection)).toBe(filter));

  test("a switch with any dash that begins it", () => {
    const filter = filterOf({ s: { "CommandLine|windash|contains": " -enc" }, condition: "s" });
    for (const dash of ["-", "/", "\u2013"])
      expect(matches(filter, { data: [["CommandLine", `run ${dash}enc x`]] })).toBe(true);
    expect(matches(filter, { data: [["CommandLine", "run +enc x"]] })).toBe(false);
  });

  test("letters are not told apart, in exact fields neither", () => {
    const filter = filterOf({ s: { EventID: "linkdown" }, condition: "s" });
    expect([matches(filter, { event: "linkDown" }), matches(filter, { event: "linkDowns" })]).toEqual([true, false]);
  });

  test.each([
    [
      { s: { "A|base64offset|contains": "x" }, condition: "s" },
      "the modifier “base64offset” cannot be said here",
      "detection.s.A|base64offset|contains",
    ],
    [{ s: { "A|re": "x" }, condition: "s" }, /tells capitals apart/, "detection.s.A|re"],
    [{ s: { "A|cased": "x" }, condition: "s" }, "the modifier “cased” cannot be said here", "detection.s.A|cased"],
    [{ s: { "A|fieldref": "B" }, condition: "s" }, /fieldref/, "detection.s.A|fieldref"],
    [{ s: { "A|cidr": "10.0.0.0/8" }, condition: "s" }, 'data "A" is no address here', "detection.s.A|cidr"],
    [{ s: { "A|gt": "many" }, condition: "s" }, "expected a number of at most 15 digits", "detection.s.A|gt"],
    [{ s: { SourceIp: "10.*" }, condition: "s" }, /no wildcards/, "detection.s.SourceIp"],
    [{ s: { User: "a" }, condition: "s | count() > 5" }, /write a correlation/, "condition"],
    [{ s: { User: "a" }, timeframe: "5m", condition: "s" }, /write a correlation/, "detection.timeframe"],
    [{ s: { User: "a" }, condition: "2 of s*" }, /1 or all/, "condition"],
    [{ s: { User: "a" }, condition: "t" }, "no selection is called “t”", "condition"],
    [{ s: { User: "a" }, condition: "1 of t*" }, "no selection is called “t*”", "condition"],
    [{ s: { User: "a" }, condition: "s and" }, /ends too early/, "condition"],
    [{ s: { User: "a" }, condition: "(s" }, /never closed/, "condition"],
    [{ s: { User: "a" }, condition: "s s" }, /expected “and”/, "condition"],
    [{ s: {}, condition: "s" }, "it is empty", "detection.s"],
    [{ s: { User: { a: 1 } }, condition: "s" }, /a value is a text/, "detection.s.User"],
    [{ s: { "A|re|i": "(?=x)y" }, condition: "s" }, /pattern/, "filter"],
    [{ s: { User: "a" }, condition: `${"(".repeat(60)}s${")".repeat(60)}` }, /too deep/, "condition"],
  ])("%j is refused, never weakened", (detection, why, at) => {
    const [one] = read(rule(detection));
    expect(one).toMatchObject({ rule: null, at });
    expect(one!.rule === null && one!.why).toMatch(
      why instanceof RegExp ? why : new RegExp(why.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")),
    );
  });

  test("a log source that nobody has said is asked for; one that a person says is used", () => {
    const own = rule({ s: { User: "a" }, condition: "s" }, { logsource: { product: "ferry", service: "ramp" } });
    expect(read(own)).toMatchObject([{ rule: null, unknownSource: "product ferry, service ramp", at: "logsource" }]);
    const [said] = readSigma([own], new Map([["product ferry, service ramp", "app is ramp"]]));
    expect(said).toMatchObject({ rule: { filter: 'app is ramp and user is "a"' } });
    // known ones can be said otherwise
    const windows = rule({ s: { User: "a" }, condition: "s" });
    expect(readSigma([windows], new Map([["product windows, service security", "kind is windows"]]))).toMatchObject([
      { rule: { filter: 'kind is windows and user is "a"' } },
    ]);
  });

  test.each([null, 5, "x", {}, { title: "t" }, { title: "t", logsource: {}, detection: { condition: [] } }])(
    "%j is refused by itself, and the rule beside it is read",
    (poison) => {
      const outcomes = readSigma([poison, rule({ s: { User: "a" }, condition: "s" })], NO_SOURCES);
      expect(outcomes.map((o) => o.rule !== null)).toEqual([false, true]);
    },
  );
});

describe("a correlation", () => {
  const base = (name: string, user = "a") =>
    rule({ s: { EventID: 4625, User: user }, condition: "s" }, { name, title: `Base ${name}`, id: undefined });
  const correlation = (parts: object) => ({
    title: "Many of them",
    name: "many",
    level: "medium",
    correlation: { rules: ["one"], "group-by": ["User"], timespan: "10m", ...parts },
  });

  test.each([
    [
      { type: "event_count", condition: { gte: 10 } },
      { kind: "count", count: 10, key: ["user"], windowSeconds: 600 },
    ],
    [
      { type: "event_count", condition: { gt: 10 }, timespan: "2h" },
      { kind: "count", count: 11, windowSeconds: 7_200 },
    ],
    [
      { type: "value_count", condition: { field: "SourceIp", gte: 3 } },
      { kind: "distinct", of: "src", count: 3 },
    ],
    [
      { type: "temporal", rules: ["one", "two"] },
      { kind: "together", key: ["user"] },
    ],
    [
      { type: "temporal_ordered", rules: ["one", "two"] },
      { kind: "sequence", key: ["user"] },
    ],
  ])("%j becomes %j, and what serves it raises nothing by itself", (parts, expected) => {
    const outcomes = read(base("one"), base("two", "b"), correlation(parts));
    const serving = (parts as { rules?: string[] }).rules?.length ?? 1;
    expect(outcomes.length).toBe(3 - serving);
    expect(outcomes.at(-1)).toMatchObject({ rule: { severity: "warning", ...expected } });
  });

  test("what it is made of raises too where it says so", () =>
    expect(
      read(base("one"), correlation({ type: "event_count", condition: { gte: 2 }, generate: true })).map(
        (o) => o.rule?.kind,
      ),
    ).toEqual(["count", "count"]));

  test("an alias is another field in each of its rules", () => {
    const [one] = read(
      base("one"),
      base("two"),
      correlation({
        type: "temporal_ordered",
        rules: ["one", "two"],
        "group-by": ["ip"],
        aliases: { ip: { one: "SourceIp", two: "DestinationIp" } },
      }),
    );
    expect(one?.rule).toMatchObject({ key: ["src"], steps: [{ key: ["src"] }, { key: ["dst"] }] });
  });

  test.each([
    [{ type: "event_count", condition: { lte: 3 } }, /at most, exactly or a range/],
    [{ type: "event_count", condition: { eq: 3 } }, /at most, exactly or a range/],
    [{ type: "event_count", condition: { gte: 3, lte: 5 } }, /at most, exactly or a range/],
    [{ type: "value_sum", condition: { field: "x", gte: 3 } }, /value_sum/],
    [{ type: "event_count", condition: { gte: 3 }, "group-by": ["LogonType"] }, /grouped by “LogonType”/],
    [{ type: "event_count", condition: { gte: 3 }, rules: ["none"] }, /no rule “none” in this file/],
    [{ type: "event_count", condition: { gte: 3 }, timespan: "1M" }, /time span/],
    [{ type: "temporal", rules: ["one"] }, /two to eight/],
  ])("%j is refused", (parts, why) => {
    const outcome = read(base("one"), correlation(parts)).at(-1)!;
    expect(outcome.rule === null && outcome.why).toMatch(why);
  });

  test("of a rule that is refused it is refused too, with that reason", () => {
    const poison = rule({ s: { "A|cased": "x" }, condition: "s" }, { name: "one" });
    const outcome = read(poison, correlation({ type: "event_count", condition: { gte: 3 } })).at(-1)!;
    expect(outcome.rule === null && outcome.why).toContain("the modifier “cased” cannot be said here");
  });
});

describe("and back", () => {
  test("whatever filter can be said there means the same when it is read again", () => {
    const context = { directory: TEST_DIRECTORY, nowUs: 0 };
    let said = 0;
    fc.assert(
      fc.property(arbitraryFilter, fc.array(arbitraryRecord, { minLength: 1, maxLength: 8 }), (filter, some) => {
        let detection: object;
        try {
          detection = detectionOfFilter(filter);
        } catch (e) {
          expect(e).toBeInstanceOf(SigmaRefusal);
          return;
        }
        const [again] = readSigma([{ title: "t", taxonomy: "halvik", ...detection }], NO_SOURCES);
        if (again?.rule?.kind !== "count") {
          // what names time, or is too long for one filter, is no rule here either
          expect(again).toMatchObject({ rule: null, at: "filter" });
          return;
        }
        const parsed = parseFilter(again.rule.filter, { zone: "UTC" });
        if (!parsed.ok) throw new Error(parsed.error.message);
        said++;
        const [before, after] = [compileFilter(filter, context), compileFilter(parsed.filter, context)];
        const text = again.rule.filter;
        if (some.some((r) => after(r) !== before(r))) throw new Error(`other records fit ${text}`);
      }),
      { seed: 15, numRuns: effort(500) },
    );
    expect(said).toBeGreaterThan(100);
  });

  test("shipped rules: those that can be said come back of the same kind, key, count and time; of the others it is said why", () => {
    const outcomes = shippedRules().map((r) => ({ r, written: writeSigma(r) }));
    const refused = outcomes.filter(({ written }) => "why" in written);
    expect(refused.length).toBeLessThan(outcomes.length);
    for (const { r, written } of outcomes) {
      if ("why" in written) {
        expect(written.why).not.toBe("");
        continue;
      }
      const back = readSigma(written.documents, NO_SOURCES).at(-1)!;
      if (back.rule === null) throw new Error(`${r.id}: ${back.why} at ${back.at}`);
      const same = (x: Rule) => ({
        kind: x.kind,
        key: x.key,
        severity: x.severity,
        window: "windowSeconds" in x ? x.windowSeconds : null,
        count: "count" in x ? x.count : null,
      });
      const isOne = r.kind === "count" && r.count === 1;
      expect(same(back.rule)).toEqual(isOne ? { ...same(r), key: ["sender"], window: 3_600 } : same(r));
    }
  });
});
