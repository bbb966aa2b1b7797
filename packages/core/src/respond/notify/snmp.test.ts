import { readFileSync } from "node:fs";
import fc from "fast-check";
import { parseMib } from "../../decode/mib/index.js";
import type { ToldOf } from "./message.js";
import type { Tells } from "./route.js";
import { MIB_ROOT, notificationOf } from "./snmp.js";

const TELLS: readonly Tells[] = ["raise", "update", "clear", "reminder", "escalation", "test", "report"];
const MESSAGE = { id: "m-1@halvik", notification: "duty" };
const told = (over: object = {}): ToldOf =>
  ({
    tell: "raise",
    link: "http://127.0.0.1:8480/incidents/12",
    detail: { incident: { id: 12, title: "46 refused logons", severity: "critical", count: 46, ...over } },
  }) as unknown as ToldOf;
const of = (tells: Tells, subject: string, about: readonly ToldOf[]) =>
  notificationOf({ ...MESSAGE, tells }, { subject }, about);
const values = (n: ReturnType<typeof of>) =>
  Object.fromEntries(n.bindings.map((b) => [b.oid.slice(`${MIB_ROOT}.1.`.length), b.value]));

test("a raise: which message and notification, and of the first incident what it is", () => {
  const n = of("raise", "Halvik · raised", [told(), told({ id: 13 })]);
  expect(n.oid).toBe(`${MIB_ROOT}.0.1`);
  expect(values(n)).toEqual({
    "1.0": "m-1@halvik",
    "2.0": "duty",
    "3.0": "Halvik · raised",
    "4.0": 2,
    "5.0": 12,
    "6.0": "46 refused logons",
    // RFC 5424 table 2: critical is 2
    "7.0": 2,
    "8.0": 46,
    "9.0": "http://127.0.0.1:8480/incidents/12",
  });
});

test("a test tells of no incident", () => {
  expect(Object.keys(values(of("test", "Halvik · a test", [])))).toEqual(["1.0", "2.0", "3.0", "4.0"]);
});

test("every notification and every binding is in the module that ships, under the number it is sent by", () => {
  const module = parseMib(readFileSync("packages/server/mibs/HALVIK-NOTIFY-MIB.mib", "utf8"))[0]!;
  const text = readFileSync("packages/server/mibs/HALVIK-NOTIFY-MIB.mib", "utf8");
  expect(module.name).toBe("HALVIK-NOTIFY-MIB");
  for (const [i, tells] of TELLS.entries()) {
    const name = `halvik${tells[0]!.toUpperCase()}${tells.slice(1)}`;
    expect(text).toMatch(
      new RegExp(`${name} NOTIFICATION-TYPE(?:(?!NOTIFICATION-TYPE)[^])*?::= \\{ halvikNotifications ${i + 1} \\}`),
    );
    expect(of(tells, "x", []).oid).toBe(`${MIB_ROOT}.0.${i + 1}`);
  }
});

test.each([
  ["lines become one", "a\r\nb\tc\0d", "a  b c d"],
  ["half a surrogate pair", "a\ud83d", "a\ufffd"],
  ["so many octets as a receiver must take (RFC 3411 section 5)", "x".repeat(300), "x".repeat(255)],
  ["no character is cut", `${"x".repeat(254)}é`, "x".repeat(254)],
  ["nor one of four octets", `${"x".repeat(252)}🚢`, "x".repeat(252)],
])("texts: %s", (_what, subject, said) => {
  expect(values(of("test", subject, []))["3.0"]).toBe(said);
});

test("whatever a title says, it is at most 255 octets of UTF-8 without signs that control", () => {
  fc.assert(
    fc.property(fc.string({ unit: "binary", maxLength: 400 }), (title) => {
      const said = values(of("raise", "x", [told({ title })]))["6.0"] as string;
      expect(Buffer.byteLength(said, "utf8")).toBeLessThanOrEqual(255);
      expect(said.isWellFormed() && !/\p{Cc}/u.test(said)).toBe(true);
    }),
  );
});
