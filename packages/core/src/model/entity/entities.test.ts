import fc from "fast-check";
import { fold } from "../../base/text/index.js";
import { testRecord } from "../../testing/record.js";
import {
  canonicalUser,
  entitiesOf,
  entityCode,
  isEntityCode,
  OwnNames,
  readEntity,
  suggestDomains,
  valuesOfField,
} from "./index.js";

test.each([
  ["ORVANE\\k.lind", "k.lind"],
  ["k.lind@orvane.example", "k.lind"],
  ["k.lind", "k.lind"],
  ["WS-7$", "WS-7$"],
  ["@odd", "@odd"],
])("user %s is %s", (text, want) => expect(canonicalUser(text)).toBe(want));

const ours = new OwnNames(["orvane.example", "site.orvane.example", "ORVANE"]);
test.each([
  ["host", "DC-1.orvane.example", "dc-1"],
  ["host", "dc-1.site.orvane.example.", "dc-1"],
  ["host", "dc-1", "dc-1"],
  ["host", "dc-1.elsewhere.example", "dc-1.elsewhere.example"],
  ["host", "orvane.example", "orvane.example"],
  ["host", "10.20.1.18", "10.20.1.18"],
  ["host", "::ffff:10.0.0.1", "10.0.0.1"],
  ["host", "2001:DB8:0::1", "2001:db8::1"],
  ["user", "ORVANE\\K.Lind", "k.lind"],
  ["user", "k.lind@orvane.example", "k.lind"],
  ["user", "k.lind@ORVANE.example.", "k.lind"],
  ["user", "k.lind", "k.lind"],
  ["user", "DC-1\\Administrator", "dc-1\\administrator"],
  ["user", "k.lind@elsewhere.example", "k.lind@elsewhere.example"],
  ["user", "ORVANE\\", "orvane\\"],
  ["user", "@orvane.example", "@orvane.example"],
  ["src", "::ffff:10.0.0.1", "10.0.0.1"],
  ["app", "SSHD", "sshd"],
])("%s %s is %s", (field, text, want) => expect(ours.canonical(field, text)).toBe(want));

test.each([
  ["user", "ORVANE\\K.Lind", "K.Lind"],
  ["user", "K.Lind@orvane.example", "K.Lind"],
  ["user", "elsewhere\\K.Lind", "elsewhere\\K.Lind"],
  ["host", "DC-1.orvane.example.", "DC-1"],
  ["host", "::ffff:10.0.0.1", "10.0.0.1"],
  ["app", "a.orvane.example", "a.orvane.example"],
])("%s %s is written shortly as %s", (field, text, want) => expect(ours.short(field, text)).toBe(want));

test("every spelling of a thing is that thing, and what a thing is called is one of its spellings", () => {
  const name = fc.stringMatching(/^[a-z0-9][a-z0-9-]{0,10}$/);
  const domain = fc.constantFrom("orvane", "ORVANE.example", "site.orvane.example", "elsewhere.example");
  const user = fc.oneof(
    name,
    fc.tuple(domain, name).map(([d, n]) => `${d}\\${n}`),
    fc.tuple(domain, name).map(([d, n]) => `${n}@${d}`),
  );
  const host = fc.oneof(
    name,
    fc.tuple(name, domain).map(([n, d]) => `${n}.${d}`),
  );
  fc.assert(
    fc.property(fc.constantFrom("user", "host"), user, host, (field, u, h) => {
      const value = field === "user" ? u : h;
      const own = ours.canonical(field, value);
      const all = ours.spellings(field, value);
      expect(all).toContain(own);
      expect(all).toContain(fold(value));
      for (const one of all) expect(ours.canonical(field, one)).toBe(own);
      expect(ours.canonical(field, own)).toBe(own);
    }),
  );
});

test("domains are suggested where names are written with and without them, or many are", () => {
  const hosts = [
    "dc-1",
    "DC-1.orvane.example",
    "ws-7.orvane.example",
    "10.0.0.1",
    "a.far.example",
    "b.far.example",
    "c.far.example",
    "one.single.example",
  ];
  const users = ["k.lind", "ORVANE\\K.Lind", "DC-1\\Administrator", "t.vik@mail.example"];
  expect(suggestDomains(hosts, users, new OwnNames())).toEqual([
    { domain: "orvane.example", names: 2, alsoBare: 1, example: "DC-1.orvane.example" },
    { domain: "orvane", names: 1, alsoBare: 1, example: "ORVANE\\K.Lind" },
    { domain: "far.example", names: 3, alsoBare: 0, example: "a.far.example" },
  ]);
  // what is ours already is not suggested
  expect(suggestDomains(hosts, users, ours).map((s) => s.domain)).toEqual(["far.example"]);
});

test("roles: who did it, to whom, from where; the original is kept", () => {
  const entities = entitiesOf(
    testRecord({
      kind: "windows",
      host: "DC-1.orvane.example",
      users: ["svc-print", "K.Lind"],
      src: "10.20.1.12",
      srcPort: 50_000,
      data: [
        ["SubjectUserName", "ORVANE\\K.Lind"],
        ["TargetUserName", "svc-print"],
      ],
    }),
    "dc-1",
    ours,
  );
  expect(entities).toEqual(
    expect.arrayContaining([
      { kind: "address", role: "source", value: "10.20.1.12", original: "10.20.1.12" },
      { kind: "user", role: "target", value: "svc-print", original: "svc-print" },
      { kind: "user", role: "actor", value: "k.lind", original: "K.Lind" },
      { kind: "host", role: "reporter", value: "dc-1", original: "dc-1" },
      { kind: "port", role: "source", value: "50000", original: "50000" },
    ]),
  );
  // short and full name are one host
  expect(entities.filter((e) => e.kind === "host")).toHaveLength(1);
});

test("of packets: who asked whom, and the machine whose name was asked for; a protocol is no program", () => {
  const entities = entitiesOf(
    testRecord({
      kind: "packet",
      app: "http",
      src: "10.0.0.1",
      dst: "10.0.0.2",
      data: [["server name", "tickets.orvane.example:8080"]],
    }),
    "tap-1",
    new OwnNames(["orvane.example"]),
  );
  expect(entities.map((e) => `${e.kind} ${e.role} ${e.value}`)).toEqual(
    expect.arrayContaining([
      "address source 10.0.0.1",
      "address destination 10.0.0.2",
      "host reporter tap-1",
      "host mentioned tickets",
    ]),
  );
  expect(entities.some((e) => e.kind === "process")).toBe(false);
});

test("an entity's code gives field and value back, whatever the value holds", () => {
  fc.assert(
    fc.property(fc.constantFrom("src", "user", "sender"), fc.string({ unit: "binary" }), (field, value) => {
      const code = entityCode(field, value);
      expect(readEntity(code)).toEqual({ field, value });
      expect(isEntityCode(code)).toBe(true);
      expect(valuesOfField([code, entityCode("other", value)], field)).toEqual([value]);
    }),
  );
  expect(readEntity("a\u0001b\u0001c")).toEqual({ field: "a", value: "b\u0001c" });
  expect(isEntityCode("worse than seen")).toBe(false);
});
