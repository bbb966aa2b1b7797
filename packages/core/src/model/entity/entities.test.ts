import fc from "fast-check";
import { testRecord } from "../../testing/record.js";
import {
  canonicalHost,
  canonicalUser,
  entitiesOf,
  entityCode,
  isEntityCode,
  readEntity,
  valuesOfField,
} from "./index.js";

test.each([
  ["ORVANE\\k.lind", "k.lind"],
  ["k.lind@orvane.example", "k.lind"],
  ["k.lind", "k.lind"],
  ["WS-7$", "WS-7$"],
  ["@odd", "@odd"],
])("user %s is %s", (text, want) => expect(canonicalUser(text)).toBe(want));

test.each([
  ["DC-1.orvane.example", "dc-1"],
  ["dc-1", "dc-1"],
  ["10.20.1.18", "10.20.1.18"],
  ["2001:db8::1", "2001:db8::1"],
])("host %s is %s", (text, want) => expect(canonicalHost(text)).toBe(want));

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
