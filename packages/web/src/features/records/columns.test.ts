import fc from "fast-check";
import { freshPage } from "../../testing/fresh-page";
import {
  type ChosenColumn,
  clampWidth,
  LEAST_COLUMN_PX,
  readColumns,
  rememberColumns,
  rememberedColumns,
  writeColumns,
} from "./columns";

freshPage();

const KNOWN = ["src", "dst", "user", "app", "what it says"];
const isKnown = (name: string) => KNOWN.includes(name);

test.each([
  ["a name", "from", [{ name: "src", width: null }]],
  [
    "a width",
    "from:220,to",
    [
      { name: "src", width: 220 },
      { name: "dst", width: null },
    ],
  ],
  [
    "a name nobody knows is passed over",
    "from,colour,to",
    [
      { name: "src", width: null },
      { name: "dst", width: null },
    ],
  ],
  ["the same twice stands once", "to,to:80", [{ name: "dst", width: null }]],
  ["a width that is none", "to:wide", [{ name: "dst", width: null }]],
  ["too narrow", "to:1", [{ name: "dst", width: LEAST_COLUMN_PX }]],
  ["too wide", "to:9999", [{ name: "dst", width: 1_200 }]],
  ["nothing known: as usual", "colour", null],
  ["nothing", "", null],
  ["no text", null, null],
])("%s", (_what, text, expected) => expect(readColumns(text, isKnown)).toEqual(expected));

test("what is written is read the same", () => {
  const column: fc.Arbitrary<ChosenColumn> = fc.record({
    name: fc.constantFrom(...KNOWN),
    width: fc.option(fc.integer({ min: LEAST_COLUMN_PX, max: 1_200 })),
  });
  fc.assert(
    fc.property(fc.uniqueArray(column, { minLength: 1, selector: (c) => c.name }), (columns) => {
      expect(readColumns(writeColumns(columns), isKnown)).toEqual(columns);
    }),
    { seed: 1 },
  );
});

test("whatever an address holds, no more than sixteen columns, none narrower than can be grasped", () => {
  fc.assert(
    fc.property(fc.string({ maxLength: 400 }), (text) => {
      const columns = readColumns(text, () => true) ?? [];
      expect(columns.length).toBeLessThanOrEqual(16);
      for (const c of columns) if (c.width !== null) expect(clampWidth(c.width)).toBe(c.width);
    }),
    { seed: 2 },
  );
});

test("each kind of record remembers its own; taken back, none", () => {
  rememberColumns("flow", "from,to");
  rememberColumns(null, "app");
  expect([rememberedColumns("flow"), rememberedColumns("syslog"), rememberedColumns(null)]).toEqual([
    "from,to",
    null,
    "app",
  ]);
  rememberColumns("flow", null);
  expect(rememberedColumns("flow")).toBeNull();
});
