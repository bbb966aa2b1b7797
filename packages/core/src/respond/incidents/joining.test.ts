import { NO_OWN_NAMES, OwnNames } from "../../model/entity/index.js";
import {
  type Heard,
  type JoinableIncident,
  type JoinContext,
  type JoiningFinding,
  placeFinding,
  troubleOf,
} from "./index.js";
import { consequencesOf, findCause, findJoint, linksBetween, thingsToCount } from "./joining.js";
import { Things } from "./things.js";

const MIN = 60e6;
const entities = (...pairs: string[]) => pairs.map((p) => p.replace("=", "\u0001"));
const incident = (over: Partial<JoinableIncident> = {}): JoinableIncident => ({
  id: 1,
  firstUs: 100 * MIN,
  lastUs: 110 * MIN,
  endedUs: null,
  suspects: [],
  about: [],
  entities: entities("src=203.0.113.9", "user=k.lind", "sender=3"),
  rules: ["refused-logons"],
  lasting: [],
  troubles: [],
  stopped: [],
  parent: null,
  sharedRecords: 0,
  shelved: false,
  covered: 0,
  ...over,
});
const finding = (atMin: number, ...pairs: string[]): JoiningFinding => ({
  rule: "r",
  key: "k",
  aboutSender: false,
  suspects: [],
  about: [],
  firstUs: atMin * MIN,
  lastUs: (atMin + 1) * MIN,
  entities: entities(...pairs),
});
const heard =
  (known: Record<string, Partial<Heard>> = {}) =>
  (thing: string): Heard => ({
    by: 1,
    of: 40,
    ...known[thing.replace("\u0001", "=")],
  });
const nameOf = (id: number) => (id === 4 ? "core" : `dev-${id}`);
const context: JoinContext = {
  heard: heard({
    "address=10.0.0.53": { by: 30 },
    "user=common": { by: 11 },
    "host=core": { declared: "others are reached through core" },
  }),
  explainedBy: (rule) => (rule === "behind" ? ["uplink-down"] : []),
  relation: (cause, consequence) => (cause === "4" && consequence === "gate" ? "gate is reached through core" : null),
  things: new Things(NO_OWN_NAMES, nameOf),
  subjectsOf: (rule) => (["disk-errors", "disk-full"].includes(rule) ? ["disk"] : []),
};

describe("joining (semantics 25)", () => {
  test.each<[string, JoiningFinding, JoinableIncident[], object | null]>([
    [
      "one telling link",
      finding(115, "user=K.Lind", "sender=9"),
      [incident()],
      { incident: 1, reason: "same user k.lind, 5 min apart" },
    ],
    [
      "an address in another role",
      finding(112, "dst=203.0.113.9"),
      [incident()],
      { incident: 1, reason: "same address 203.0.113.9, 2 min apart" },
    ],
    ["a device alone is not enough", finding(112, "sender=3"), [incident()], null],
    [
      "a device and something more is",
      { ...finding(112, "sender=3", "process=x"), about: entities("sender=3") },
      [incident({ entities: entities("sender=3", "process=x") })],
      { incident: 1, reason: "same host dev-3, same process x, 2 min apart" },
    ],
    [
      "a device that only tells of both, and something more",
      finding(112, "sender=3", "process=x"),
      [incident({ entities: entities("sender=3", "process=x") })],
      null,
    ],
    [
      "a device by the name it writes is that device",
      { ...finding(112, "host=dev-3", "process=x"), about: entities("host=dev-3") },
      [incident({ entities: entities("sender=3", "process=x") })],
      { incident: 1 },
    ],
    [
      "a name that everybody has says little",
      finding(112, "user=root"),
      [incident({ entities: entities("user=root") })],
      null,
    ],
    [
      "two that try names of one list: two of three in common do not make them one",
      finding(110, "src=198.51.100.7", "user=a.by", "user=b.dal", "user=c.eng"),
      [incident({ entities: entities("src=203.0.113.9", "user=a.by", "user=b.dal", "user=x.rud") })],
      null,
    ],
    [
      "two names that one has, and the other has nothing else, do",
      finding(111, "user=a.by", "user=b.dal"),
      [incident({ entities: entities("src=203.0.113.9", "user=a.by", "user=b.dal") })],
      { incident: 1 },
    ],
    ["a hub joins nothing", finding(112, "src=10.0.0.53"), [incident({ entities: entities("src=10.0.0.53") })], null],
    [
      "a port has its name on every device",
      finding(112, "interface=te1/1"),
      [incident({ entities: entities("interface=te1/1") })],
      null,
    ],
    [
      "a port of the same device, though it is a gateway",
      finding(112, "sender=4", "interface=te1/1"),
      [incident({ entities: entities("sender=4", "interface=te1/1") })],
      { incident: 1 },
    ],
    ["more than half an hour later", finding(141, "user=k.lind"), [incident()], null],
    ["half an hour later", finding(140, "user=k.lind"), [incident()], { incident: 1 }],
    ["an incident may not grow beyond a day", finding(112, "user=k.lind"), [incident({ firstUs: -1_340 * MIN })], null],
    [
      "at the same time",
      finding(105, "user=k.lind"),
      [incident()],
      { incident: 1, reason: "same user k.lind, at the same time" },
    ],
    [
      "what weighs most wins",
      finding(112, "user=k.lind", "src=203.0.113.9"),
      [incident({ id: 1, entities: entities("user=k.lind") }), incident({ id: 2 })],
      { incident: 2 },
    ],
    [
      "then the most recent",
      finding(110, "user=k.lind"),
      [incident({ id: 1 }), incident({ id: 2, lastUs: 111 * MIN })],
      { incident: 2 },
    ],
    [
      "the same again while it lasts",
      finding(112),
      [incident({ troubles: [troubleOf("r", "k")] })],
      { reason: "the same again, 2 min apart" },
    ],
    [
      "one of several accounts that were tried",
      finding(112, "user=k.lind"),
      [incident({ entities: entities("user=k.lind", "user=a", "user=b") })],
      null,
    ],
    [
      "the account it is about, of several it names",
      finding(112, "user=k.lind"),
      [incident({ entities: entities("user=k.lind", "user=a", "user=b"), about: entities("user=k.lind") })],
      { incident: 1 },
    ],
    [
      "what is shelved takes in nothing of another rule",
      finding(112, "user=k.lind"),
      [incident({ shelved: true })],
      null,
    ],
    [
      "but more of its own",
      { ...finding(112, "user=k.lind"), rule: "refused-logons" },
      [incident({ shelved: true })],
      { incident: 1 },
    ],
    ["few records in common", finding(105, "src=10.0.0.53"), [incident({ sharedRecords: 0.3 })], null],
    [
      "two of one device about the same",
      { ...finding(112, "sender=3"), rule: "disk-full", about: entities("sender=3") },
      [incident({ rules: ["disk-errors"], about: entities("sender=3") })],
      { reason: "same host dev-3, same subject disk, 2 min apart" },
    ],
    [
      "two of different devices about the same",
      { ...finding(112, "sender=9"), rule: "disk-full" },
      [incident({ rules: ["disk-errors"] })],
      null,
    ],
    [
      "a common name that one of them suspects",
      finding(105, "user=common"),
      [incident({ entities: entities("user=common"), suspects: entities("user=common") })],
      { reason: "same user common, at the same time" },
    ],
    [
      "a common name that none suspects",
      finding(105, "user=common"),
      [incident({ entities: entities("user=common") })],
      null,
    ],
    [
      "the same records, though all they name is common",
      finding(105, "src=10.0.0.53"),
      [incident({ entities: entities("src=10.0.0.53"), sharedRecords: 1 })],
      { reason: "same records, at the same time" },
    ],
    [
      "the same again after it stopped is another time",
      finding(112, "user=k.lind"),
      [incident({ endedUs: 111 * MIN, troubles: [troubleOf("r", "k")], stopped: [troubleOf("r", "k")] })],
      null,
    ],
    [
      "something else after it stopped still belongs",
      finding(112, "user=k.lind"),
      [incident({ endedUs: 111 * MIN, stopped: [troubleOf("q", "k")] })],
      { incident: 1 },
    ],
  ])("%s", (_what, f, incidents, want) => {
    const joint = findJoint(f, incidents, context);
    if (want === null) expect(joint).toBeNull();
    else expect(joint).toMatchObject(want);
  });

  describe("what is told of a device alone", () => {
    const told = { rule: "disk-full", about: entities("sender=3"), aboutSender: true };
    const there = incident({
      entities: entities("sender=3", "user=k.lind", "user=administrators", "user=dev-3$"),
      about: entities("sender=3"),
      rules: ["disk-errors", "disk-full"],
      troubles: [troubleOf("disk-full", "k")],
    });
    test.each<[string, string[], boolean]>([
      ["by the same person", ["user=k.lind", "user=r.moe"], true],
      ["by somebody else is another matter", ["user=r.moe"], false],
      ["a group that every machine has is nobody", ["user=r.moe", "user=administrators"], false],
      ["nor is the machine itself", ["user=r.moe", "user=dev-3$"], false],
      ["by nobody that is named", ["user=administrators"], true],
      ["many accounts are tried, nobody did it", ["user=a", "user=b", "user=c", "user=d"], true],
    ])("%s", (_what, users, joins) => {
      const found = { ...finding(112, "sender=3", ...users), ...told };
      expect(findJoint(found, [there], context) !== null).toBe(joins);
      // also where it is only about the same
      const alike = { ...there, rules: ["disk-errors"], troubles: [] };
      expect(findJoint(found, [alike], context) !== null).toBe(joins);
    });
    test("says why it was not joined", () => {
      const found = { ...finding(112, "sender=3", "user=r.moe"), ...told };
      const weightless = linksBetween(found, there, context).filter((l) => l.weight === 0);
      expect(weightless.map((l) => [l.field, l.why])).toEqual([
        ["rule", "by other users"],
        ["subject", "by other users"],
      ]);
    });
    test("where the rule tells more apart than the device, the same is the same whoever did it", () => {
      const found = { ...finding(112, "sender=3", "user=r.moe", "src=203.0.113.9"), ...told };
      const about = entities("sender=3", "src=203.0.113.9");
      expect(findJoint({ ...found, about }, [there], context)).not.toBeNull();
    });
  });

  describe("what is done on a machine into which one who guessed was let in, and says not by whom", () => {
    const letIn = incident({ suspects: entities("user=k.lind") });
    const known = {
      ...context,
      heard: heard({
        "user=svc-new": { by: 0 },
        "user=uncounted": { by: 0, uncounted: true },
        "host=core": { declared: "others are reached through core" },
      }),
    };
    test.each<[string, JoiningFinding, JoinableIncident, boolean]>([
      ["an account that was not there before", finding(112, "sender=3", "user=svc-new"), letIn, true],
      ["the same 20 minutes later", finding(130, "sender=3", "user=svc-new"), letIn, true],
      ["half an hour later it is too far", finding(139, "sender=3", "user=svc-new"), letIn, false],
      ["before anybody was let in", finding(98, "sender=3", "user=svc-new"), letIn, false],
      ["on another machine", finding(112, "sender=9", "user=svc-new"), letIn, false],
      ["an account that was there before", finding(112, "sender=3", "user=m.aas"), letIn, false],
      [
        "a new one and one that was there: he did it",
        finding(112, "sender=3", "user=svc-new", "user=m.aas"),
        letIn,
        false,
      ],
      ["from an address: it says who", finding(112, "sender=3", "user=svc-new", "src=10.0.0.7"), letIn, false],
      ["nobody is named: a full disk", finding(112, "sender=3"), letIn, false],
      ["of whom it was not counted", finding(112, "sender=3", "user=uncounted"), letIn, false],
      [
        "many new ones are tried, not made",
        finding(112, "sender=3", "user=a", "user=b", "user=c", "user=d"),
        letIn,
        false,
      ],
      ["nobody was let in", finding(112, "sender=3", "user=svc-new"), incident(), false],
      [
        "a gateway lets many in",
        finding(112, "sender=4", "user=svc-new"),
        incident({ suspects: entities("user=k.lind"), entities: entities("user=k.lind", "sender=4") }),
        false,
      ],
    ])("%s", (_what, found, there, joins) => {
      expect(findJoint(found, [there], known) !== null).toBe(joins);
    });
    test("says why, and asks how widely only those were known of whom it matters", () => {
      const found = finding(112, "sender=3", "user=svc-new");
      expect(findJoint(found, [letIn], known)!.links[0]).toMatchObject({
        field: "host",
        why: "one who is suspected was let in there, and whom this names was not known before",
      });
      expect(thingsToCount(found, [letIn], context.things)).toEqual(entities("host=dev-3", "user=svc-new"));
      expect(thingsToCount(found, [incident()], context.things)).toEqual(entities("host=dev-3"));
    });
  });

  test("the same rule on the same sender is one trouble, if the rule tells senders apart", () => {
    const there = incident({ rules: ["r"], entities: entities("sender=3", "interface=te1/30") });
    const here = finding(112, "sender=3", "interface=te1/30 to Hestnes");
    expect(findJoint({ ...here, aboutSender: true }, [there], context)).not.toBeNull();
    expect(findJoint(here, [there], context)).toBeNull();
  });

  test("spellings of one thing are one thing, where its domain is ours", () => {
    const there = incident({ entities: entities("user=ORVANE\\k.lind", "src=::ffff:198.51.100.7") });
    const ours = { ...context, things: new Things(new OwnNames(["ORVANE", "orvane.example"]), nameOf) };
    expect(findJoint(finding(112, "user=k.lind@orvane.example"), [there], ours)).toMatchObject({
      reason: "same user k.lind, 2 min apart",
    });
    expect(findJoint(finding(112, "user=k.lind@orvane.example"), [there], context)).toBeNull();
    expect(findJoint(finding(112, "dst=198.51.100.7"), [there], context)).not.toBeNull();
  });

  // our own scale (docs/incidents.md): 1 for a user or an address nobody else knows
  test.each<[string, Partial<Heard>, number, string]>([
    ["nobody knew it", { by: 0 }, 1, "not seen in the week before"],
    ["one sender did", { by: 1 }, 1, "named by 1 of 40 senders in a week"],
    ["two did", { by: 2 }, 0.667, "named by 2 of 40 senders in a week"],
    ["three did", { by: 3 }, 0.558, "named by 3 of 40 senders in a week"],
    ["four of few: a hub", { by: 4 }, 0, "named by 4 of 40 senders in a week"],
    ["four of many", { by: 4, of: 200 }, 0.5, "named by 4 of 200 senders in a week"],
    ["was not counted", { by: 2, of: 0, uncounted: true }, 0.667, "not counted: too much at once"],
    ["declared", { by: 0, declared: "ns-1 is declared as resolver" }, 0, "ns-1 is declared as resolver"],
  ])("an address that %s", (_what, known, weight, why) => {
    const links = linksBetween(finding(105, "src=203.0.113.9"), incident(), {
      ...context,
      heard: heard({ "address=203.0.113.9": known }),
    });
    expect(links).toEqual([{ field: "address", value: "203.0.113.9", weight: expect.closeTo(weight, 3), why }]);
  });
});

const uplink = incident({ id: 5, rules: ["uplink-down"], entities: entities("sender=4", "interface=te1/30") });
describe("cause and consequence", () => {
  test.each<[string, JoiningFinding, string, Partial<JoinableIncident>, object | null]>([
    [
      "a cause explains what is behind it",
      finding(112, "host=gate"),
      "behind",
      {},
      { incident: 5, reason: "explained by it: gate is reached through core" },
    ],
    [
      "what is on it",
      finding(112, "sender=4"),
      "behind",
      {},
      { incident: 5, reason: "explained by it: on the same device, core" },
    ],
    ["not what is elsewhere", finding(112, "host=other"), "behind", {}, null],
    ["not what no rule says it explains", finding(112, "host=gate"), "r", {}, null],
    ["not what comes long after it was over", finding(130, "host=gate"), "behind", {}, null],
    [
      "while it lasts, days later",
      finding(9_000, "host=gate"),
      "behind",
      { lasting: ["uplink-down"] },
      { incident: 5 },
    ],
    [
      "a cause that is explained itself: what stands above holds it",
      finding(112, "host=gate"),
      "behind",
      { parent: 3 },
      { incident: 3 },
    ],
  ])("%s", (_what, f, rule, over, want) => {
    const cause = findCause({ ...f, rule }, [{ ...uplink, ...over }], context);
    if (want === null) expect(cause).toBeNull();
    else expect(cause).toMatchObject(want);
  });
  test("a cause that comes later takes its consequences under it, and nothing else", () => {
    const gate = incident({ id: 7, rules: ["behind"], entities: entities("host=gate") });
    const long = incident({
      id: 6,
      rules: ["behind"],
      firstUs: 50 * MIN,
      lastUs: 60 * MIN,
      entities: entities("host=gate"),
    });
    const mixed = incident({ id: 8, rules: ["behind", "other"], entities: entities("host=gate") });
    const taken = incident({ id: 9, rules: ["behind"], entities: entities("host=gate"), parent: 2 });
    const cause = { ...finding(112, "sender=4", "interface=te1/30"), rule: "uplink-down" };
    expect(consequencesOf(cause, [gate, long, mixed, taken], context).map((j) => j.incident)).toEqual([7]);
    expect(placeFinding(cause, null, [gate], context)).toMatchObject({ to: "new", consequences: [{ incident: 7 }] });
  });
});

describe("where a finding goes (semantics 26)", () => {
  const H = 60 * MIN;
  const f = finding(110 * 60, "user=k.lind");
  const earlier = (over: object) => ({
    id: 7,
    state: "closed" as const,
    closeReason: "fixed" as const,
    endedUs: 100 * H,
    ...over,
  });
  test.each<[string, Parameters<typeof placeFinding>[1], object]>([
    ["nothing before it", null, { to: "new", again: null }],
    ["closed as fixed, within 24 h: it returned", earlier({}), { to: "returned", incident: 7 }],
    ["closed as fixed, long ago", earlier({ endedUs: 10 * H }), { to: "new", again: 7 }],
    ["cleared: another time", earlier({ state: "cleared", closeReason: null }), { to: "new", again: 7 }],
    ["closed as expected", earlier({ closeReason: "expected" }), { to: "new", again: 7 }],
    ["closed as false", earlier({ closeReason: "false" }), { to: "new", again: 7 }],
    [
      "one still open, of long ago",
      earlier({ state: "open", closeReason: null, endedUs: null }),
      { to: "new", again: 7 },
    ],
  ])("%s", (_what, before, want) => expect(placeFinding(f, before, [], context)).toMatchObject(want));
  test("near an incident that was cleared: that one goes on", () =>
    expect(placeFinding(finding(115, "user=k.lind"), null, [incident({ endedUs: 111 * MIN })], context)).toMatchObject({
      to: "joined",
      incident: 1,
      reopens: true,
    }));
  test("what one has all the evidence of is the same happening", () => {
    const small = incident({ id: 2, entities: [], sharedRecords: 1, covered: 1 });
    const half = incident({ id: 3, entities: [], sharedRecords: 1, covered: 0.5 });
    expect(
      placeFinding(
        finding(110, "user=k.lind"),
        null,
        [incident({ covered: 0.1, sharedRecords: 1 }), small, half],
        context,
      ),
    ).toMatchObject({ to: "joined", incident: 1, covers: [2] });
  });
  test("something else that joins a consequence: that stands for itself from now on", () => {
    const under = incident({ parent: 5 });
    expect(placeFinding(finding(112, "user=k.lind"), null, [under], context)).toMatchObject({
      to: "joined",
      unfolds: true,
    });
    expect(placeFinding(finding(112, "user=k.lind"), null, [incident()], context)).toMatchObject({ unfolds: false });
  });
  test("explained by one, and near another: under the one that explains it", () =>
    expect(
      placeFinding(
        { ...finding(112, "host=gate", "user=k.lind"), rule: "behind" },
        null,
        [uplink, incident()],
        context,
      ),
    ).toMatchObject({ to: "new", cause: { incident: 5 } }));
});
