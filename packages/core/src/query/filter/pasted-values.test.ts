import { pastedValues } from "./index.js";

test.each<[string, string, string[], number, string[]]>([
  ["one a line", "192.0.2.1\n192.0.2.2\r\n192.0.2.1\n", ["192.0.2.1", "192.0.2.2"], 1, []],
  ["a table", "ip,seen\n192.0.2.1,3\n2001:DB8::1,4", ["192.0.2.1", "2001:db8::1"], 0, ["ip", "seen", "3", "4"]],
  ["masked", "192[.]0[.]2[.]7 and 198(.)51(.)100(.)1", ["192.0.2.7", "198.51.100.1"], 0, ["and"]],
  [
    "in brackets and sentences",
    "seen (192.0.2.9), [2001:db8::5]. <192.0.2.10>",
    ["192.0.2.9", "2001:db8::5", "192.0.2.10"],
    0,
    ["seen"],
  ],
  [
    "one that ends with colons, and one before a colon",
    "2001:db8::, 192.0.2.1: seen",
    ["2001:db8::", "192.0.2.1"],
    0,
    ["seen"],
  ],
  [
    "with ports behind them (RFC 3986 for the brackets)",
    "192.0.2.1:443 -> [2001:db8::7]:51490, 192.0.2.1:99999999 2001:db8::443",
    ["192.0.2.1", "2001:db8::7", "2001:db8::443"],
    0,
    ["-", "192.0.2.1:99999999"],
  ],
  ["blocks", "10.0.0.0/8; 192.0.2.0/33", ["10.0.0.0/8"], 0, ["192.0.2.0/33"]],
  ["one thing in two spellings", "::ffff:10.0.0.1 10.0.0.1", ["10.0.0.1"], 1, []],
  ["nothing", " \n,, ;", [], 0, []],
])("addresses, %s", (_, text, values, twice, unread) =>
  expect(pastedValues(text, "address")).toEqual({ values, twice, unread }),
);

test("texts: one a line or between commas, quotes taken off, capitals no difference", () =>
  expect(pastedValues("k.lind\n\"m, odd\"\nK.LIND\n 'a b' ;x", "text")).toEqual({
    values: ["k.lind", '"m', 'odd"', "a b", "x"],
    twice: 1,
    unread: [],
  }));

test("a large paste is read in a moment, and bounded", () => {
  const text = Array.from({ length: 40_000 }, (_, i) => `10.${i >> 16}.${(i >> 8) & 255}.${i & 255}`).join("\n");
  const { values, unread } = pastedValues(text, "address");
  expect([values.length, unread.length]).toEqual([20_000, 20_000]);
});
