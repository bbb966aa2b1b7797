import { readdirSync, readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { dirname, join } from "node:path";
import { byHint, formatMibValue, MibError, MibNames, parseMib } from "./index.js";

const require = createRequire(import.meta.url);
const dirs = [join(dirname(require.resolve("net-snmp/package.json")), "lib/mibs"), "packages/server/mibs"];
const modules = dirs.flatMap((dir) =>
  readdirSync(dir)
    .filter((f) => f.endsWith(".mib"))
    .flatMap((f) => parseMib(readFileSync(join(dir, f), "utf8"))),
);
const names = new MibNames(modules);

describe("the standard modules, as published", () => {
  test("all are read, and none lacks a name", () => {
    expect(names.problems).toEqual([]);
    expect(modules.length).toBeGreaterThanOrEqual(17);
  });
  test.each([
    ["linkDown", "1.3.6.1.6.3.1.1.5.3", "RFC 2863"],
    ["coldStart", "1.3.6.1.6.3.1.1.5.1", "RFC 3418"],
    ["ifIndex", "1.3.6.1.2.1.2.2.1.1", "RFC 2863"],
    ["ifHCInOctets", "1.3.6.1.2.1.31.1.1.1.6", "RFC 2863"],
    ["sysUpTime", "1.3.6.1.2.1.1.3", "RFC 3418"],
    ["snmpTrapOID", "1.3.6.1.6.3.1.1.4.1", "RFC 3418"],
    ["bgpBackwardTransNotification", "1.3.6.1.2.1.15.0.2", "RFC 4273"],
    ["upsTrapOnBattery", "1.3.6.1.2.1.33.2.1", "RFC 1628"],
  ])("%s is %s (%s)", (name, oid) => {
    expect(names.oid(name)).toBe(oid);
    expect(names.node(oid)?.name).toBe(name);
  });
  test("an instance: the object and what is left", () => {
    expect(names.find("1.3.6.1.2.1.2.2.1.8.7")).toMatchObject({ node: { name: "ifOperStatus" }, instance: "7" });
    expect(names.find("2.999")).toBeNull();
  });
  test.each([
    ["1.3.6.1.2.1.2.2.1.8.7", "2", "down (2)"],
    ["1.3.6.1.2.1.2.2.1.3.7", "6", "ethernetCsmacd (6)"],
    ["1.3.6.1.2.1.1.3.0", "4200", "42 s"],
    ["1.3.6.1.2.1.33.1.2.3.0", "38", "38 minutes"],
    ["1.3.6.1.2.1.33.1.6.2.1.2.1", "1.3.6.1.2.1.33.1.6.3.3", "upsAlarmLowBattery"],
    ["1.3.6.1.2.1.2.2.1.6.7", "0x02005e0edaf4", "02:00:5e:0e:da:f4"],
  ])("value of %s: %s is %s", (oid, value, want) => {
    expect(formatMibValue(value, names.find(oid)!.node, names)).toBe(want);
  });
});

describe("display hints (RFC 2579 section 3.1)", () => {
  test.each([
    ["d-2", "1234", "12.34"],
    ["d-2", "-5", "-0.05"],
    ["x", "255", "ff"],
    ["1x:", "0x02005e", "02:00:5e"],
    // section 3.1's DateAndTime: Tuesday May 26, 1992 at 1:30:15 PM EDT
    ["2d-1d-1d,1d:1d:1d.1d,1a1d:1d", "0x07c8051a0d1e0f002d0400", "1992-5-26,13:30:15.0,-4:0"],
    ["255a", "plain", "plain"],
  ])("%s on %s", (hint, value, want) => expect(byHint(value, hint)).toBe(want));
});

describe("modules of one's own", () => {
  const SMIV1 = `
    CRANE-MIB DEFINITIONS ::= BEGIN
    IMPORTS enterprises FROM RFC1155-SMI  OBJECT-TYPE FROM RFC-1212  TRAP-TYPE FROM RFC-1215;
    -- a comment -- crane OBJECT IDENTIFIER ::= { enterprises 32473 }
    load OBJECT-TYPE
      SYNTAX INTEGER { light(1), heavy(2) }
      ACCESS read-only STATUS mandatory DESCRIPTION "How heavy
      it is" ::= { crane 1 }
    lamps OBJECT-TYPE SYNTAX BITS { red(0), green(1), white(9) } MAX-ACCESS read-only STATUS current DESCRIPTION "" ::= { crane 2 }
    overload TRAP-TYPE ENTERPRISE crane VARIABLES { load } DESCRIPTION "Too heavy" ::= 4
    END`;
  const own = new MibNames([...modules, ...parseMib(SMIV1)]);
  test("SMIv1: TRAP-TYPE is enterprise.0.number (RFC 3584 section 3.1); enumerations; BITS", () => {
    expect(own.problems).toEqual([]);
    expect(own.node("1.3.6.1.4.1.32473.0.4")).toMatchObject({
      name: "overload",
      kind: "notification",
      objects: ["load"],
    });
    expect(formatMibValue("2", own.node("1.3.6.1.4.1.32473.1")!, own)).toBe("heavy (2)");
    expect(formatMibValue("0xc040", own.node("1.3.6.1.4.1.32473.2")!, own)).toBe("red, green, white");
  });
  test("a missing import is named, with its place", () => {
    const lonely = new MibNames(
      parseMib("A-MIB DEFINITIONS ::= BEGIN\nIMPORTS thing FROM THING-MIB;\nx OBJECT IDENTIFIER ::= { thing 1 }\nEND"),
    );
    expect(lonely.problems.map((p) => [p.code, p.line, p.message])).toEqual([
      ["MISSING_IMPORT", 2, "imports from THING-MIB, which is not here: upload it too"],
      ["UNKNOWN_NAME", 3, "“thing” should come from THING-MIB, which is not here"],
    ]);
  });
  test.each([
    ["A-MIB DEFINITIONS ::= BEGIN\n  x OBJECT IDENTIFIER ::= { a ! }\nEND", 2, 31],
    ["A-MIB DEFINITIONS ::= BEGIN\n  x OBJECT-TYPE\n  STATUS current", 3, 3],
    ['A-MIB DEFINITIONS ::= BEGIN x OBJECT-TYPE SYNTAX INTEGER DESCRIPTION "open', 1, 70],
    ["no module here", 1, 4],
    ["", 1, 1],
  ])("an error has line and column: %s", (text, line, column) => {
    try {
      parseMib(text);
      throw new Error("read without complaint");
    } catch (e) {
      expect(e).toBeInstanceOf(MibError);
      expect([(e as MibError).line, (e as MibError).column]).toEqual([line, column]);
    }
  });
  test("a definition that leads back to itself ends", () => {
    const loop = new MibNames(
      parseMib("A-MIB DEFINITIONS ::= BEGIN a OBJECT IDENTIFIER ::= { b 1 } b OBJECT IDENTIFIER ::= { a 1 } END"),
    );
    expect(loop.size).toBe(0);
  });
});
