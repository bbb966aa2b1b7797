import { findJoint, type JoinableIncident, type JoinContext } from "./index.js";

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
  firstUs: atMin * MIN,
  lastUs: (atMin + 1) * MIN,
  entities: entities(...pairs),
});
const context: JoinContext = {
  isHub: (e) => e === "src\u000110.0.0.53",
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
    const joint = findJoint(f, [], incidents, context);
    if (want === null) expect(joint).toBeNull();
    else expect(joint).toMatchObject(want);
  });

  const uplink = incident({ id: 5, rules: ["uplink-down"], entities: entities("sender=4", "interface=te1/30") });
  test.each([
    [
      "a cause explains what is behind it",
      finding(112, "host=gate"),
      ["uplink-down"],
      { incident: 5, strength: "cause", reason: "explained by it: gate is reached through core" },
    ],
    ["not what is elsewhere", finding(112, "host=other"), ["uplink-down"], null],
    ["not what no rule says it explains", finding(112, "host=gate"), [], null],
    ["not what comes long after", finding(130, "host=gate"), ["uplink-down"], null],
  ] as const)("%s", (_what, f, explainedBy, want) => {
    const joint = findJoint(f, explainedBy, [uplink], context);
    if (want === null) expect(joint).toBeNull();
    else expect(joint).toMatchObject(want);
  });
});
