import { GiveWay } from "./give-way.js";

const MINUTE = 60_000;

/** Minutes of `total` in which it gave way, asked every second. */
function given(total: number, isBehind: (minute: number) => boolean): number {
  const way = new GiveWay();
  let gave = 0;
  for (let ms = 0; ms < total * MINUTE; ms += 1_000) if (way.look(isBehind(ms / MINUTE), ms)) gave += 1_000;
  return gave / MINUTE;
}

test("while the intake is behind, and not a moment longer", () => {
  const way = new GiveWay();
  expect(way.look(false, 0)).toBe(false);
  expect(way.look(true, 1_000)).toBe(true);
  expect(way.look(true, 14 * MINUTE)).toBe(true);
  expect(way.look(false, 14 * MINUTE + 1)).toBe(false);
});

test("a flood of ten minutes has all of them", () => {
  expect(given(30, (minute) => minute < 10)).toBeCloseTo(10, 1);
});

test("one without end a quarter of an hour, then half of the time", () => {
  const gave = given(135, () => true);
  expect(gave).toBeGreaterThan(15 + 55);
  expect(gave).toBeLessThan(15 + 65);
});

test("nor does one that stops for a second each minute keep other work from its turn for ever", () => {
  expect(given(600, (minute) => minute % 1 < 59 / 60)).toBeLessThan(15 + 310);
});

test("what was given is won back: the next flood has its quarter of an hour again", () => {
  expect(given(90, (minute) => minute < 20 || minute >= 60)).toBeCloseTo(15 + 2.5 + 15 + 7.5, 0);
});

test("a turn of another that took long was not given away", () => {
  const way = new GiveWay();
  way.look(false, 0);
  expect(way.look(true, 40 * MINUTE)).toBe(true);
});
