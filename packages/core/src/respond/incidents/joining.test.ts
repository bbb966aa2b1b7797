import { consequencesOf, findJoint, type JoinableIncident, type JoinContext } from "./index.js";

const MIN = 60e6;
const entities = (...pairs: string[]) => pairs.map((p) => p.replace("=", "\u0001"));
const incident = (over: Partial<JoinableIncident> = {}): JoinableIncident => ({
  id: 1,
  firstUs: 100 * MIN,
  lastUs: 110 * MIN,
  entities: entities("src=203.0.113.9", "user=k.lind", "sender=3"),
  rules: ["refused-logons"],
  ...over,
});
const finding = (atMin: number, ...pairs: string[]) => ({
  rule: "r",
  aboutSender: false,
  firstUs: atMin * MIN,
  lastUs: (atMin + 1) * MIN,
  entities: entities(...pairs),
});
const context: JoinContext = {
  isHub: (e) => e === "src\u000110.0.0.53",
  explainedBy: (rule) => (rule === "behind" ? ["uplink-down"] : []),
  relation: (cause, consequence) => (cause === "4" && consequence === "gate" ? "gate is reached through core" : null),
  say: (field, value) => (field === "sender" ? `sender ${value}` : value),
};

describe("joining (semantics 25)", () => {
  test.each([
    [
      "one telling link",
      finding(115, "user=K.Lind", "sender=9"),
      [incident()],
      { incident: 1, strength: "strong", reason: "same user k.lind, 5 min apart" },
    ],
    [
      "an address in another role",
      finding(112, "dst=203.0.113.9"),
      [incident()],
      { incident: 1, strength: "strong", reason: "same address 203.0.113.9, 2 min apart" },
    ],
    ["one weak link is not enough", finding(112, "sender=3"), [incident()], null],
    [
      "two weak ones are",
      finding(112, "sender=3", "process=x"),
      [incident({ entities: entities("sender=3", "process=x") })],
      { incident: 1, strength: "weak", reason: "same sender sender 3, same process x, 2 min apart" },
    ],
    [
      "a name that everybody has is a weak link",
      finding(112, "user=root"),
      [incident({ entities: entities("user=root") })],
      null,
    ],
    ["a hub joins nothing", finding(112, "src=10.0.0.53"), [incident({ entities: entities("src=10.0.0.53") })], null],
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
      "the most links win",
      finding(112, "user=k.lind", "src=203.0.113.9"),
      [incident({ id: 1, entities: entities("user=k.lind") }), incident({ id: 2 })],
      { incident: 2 },
    ],
    [
      "then the most recent",
      finding(112, "user=k.lind"),
      [incident({ id: 1, lastUs: 104 * MIN }), incident({ id: 2 })],
      { incident: 2 },
    ],
  ] as const)("%s", (_what, f, incidents, want) => {
    const joint = findJoint(f, incidents, context);
    if (want === null) expect(joint).toBeNull();
    else expect(joint).toMatchObject(want);
  });

  test("the same rule on the same sender is one trouble, if the rule tells senders apart", () => {
    const there = incident({ rules: ["r"], entities: entities("sender=3", "interface=te1/30") });
    const here = finding(112, "sender=3", "interface=te1/30 to Hestnes");
    expect(findJoint({ ...here, aboutSender: true }, [there], context)).toMatchObject({ strength: "strong" });
    expect(findJoint(here, [there], context)).toBeNull();
  });

  const uplink = incident({ id: 5, rules: ["uplink-down"], entities: entities("sender=4", "interface=te1/30") });
  test.each([
    [
      "a cause explains what is behind it",
      finding(112, "host=gate"),
      "behind",
      { incident: 5, strength: "cause", reason: "explained by it: gate is reached through core" },
    ],
    ["not what is elsewhere", finding(112, "host=other"), "behind", null],
    ["not what no rule says it explains", finding(112, "host=gate"), "r", null],
    ["not what comes long after", finding(130, "host=gate"), "behind", null],
  ] as const)("%s", (_what, f, rule, want) => {
    const joint = findJoint({ ...f, rule }, [uplink], context);
    if (want === null) expect(joint).toBeNull();
    else expect(joint).toMatchObject(want);
  });
  test("a cause that comes later takes its consequences in", () => {
    const gate = incident({ id: 7, rules: ["behind"], entities: entities("host=gate") });
    const mixed = incident({ id: 8, rules: ["behind", "other"], entities: entities("host=gate") });
    const cause = { ...finding(112, "sender=4", "interface=te1/30"), rule: "uplink-down" };
    expect(findJoint(cause, [gate], context)).toMatchObject({ incident: 7, strength: "explains" });
    expect(consequencesOf(cause, [gate, mixed], context).map((j) => j.incident)).toEqual([7]);
  });
});
