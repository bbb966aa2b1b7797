import { roster } from "@halvik/simulator";
import { exportSenders, parseSenders } from "./csv.js";

const HEADER = "name,addresses,relay,site,groups,role,zone,reached through,expected every seconds,keep days,notes";

describe("the sender list as CSV (RFC 4180)", () => {
  test("what is exported can be imported", () => {
    const senders = roster();
    const back = parseSenders(exportSenders(senders));
    expect(back.map((s) => [s.name, s.addresses, s.site, s.groups, s.zone])).toEqual(
      senders.map((s) => [s.name, s.addresses, s.site, s.groups, s.zone]),
    );
  });
  test("commas, quotes and line ends in notes survive; a formula is disarmed", () => {
    const [sender] = roster();
    const notes = 'a, "b"\nc';
    const text = exportSenders([{ ...sender!, name: "=cmd()", notes }]);
    expect(text).toContain("'=cmd()");
    expect(parseSenders(text)[0]).toMatchObject({ name: "=cmd()", notes });
  });
  test.each([
    ["an address that is none", `${HEADER}\na,10.0.0.300,no,,,,UTC,,,,`, "line 2, addresses"],
    ["a zone that is none", `${HEADER}\na,,no,,,,Mars,,,,`, "zone"],
    ["a name that is empty", `${HEADER}\n,,no,,,,UTC,,,,`, "name"],
    ["an unknown column", "name,colour\na,red", "colour"],
    ["a quote that never closes", `${HEADER}\n"a,`, "senders:"],
    ["a number that is none", `${HEADER}\na,,no,,,,UTC,,soon,,`, "expectedEverySeconds"],
    ["days that are none of the steps", `${HEADER}\na,,no,,,,UTC,,,5,`, "keepDays: expected one of"],
  ])("%s is refused with its place", (_what, text, message) => expect(() => parseSenders(text)).toThrow(message));
});
