import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { BatchNumbers } from "./batch-numbers.js";

const directory = () => mkdtempSync(join(tmpdir(), "halvik-numbers-"));

test("no number is given twice, however often it starts without asking the database", () => {
  const dir = directory();
  let last = 0;
  for (let start = 0; start < 5; start++) {
    const numbers = new BatchNumbers(dir, 0, 1_000);
    for (let i = 0; i < 1_500; i++) {
      const number = numbers.next();
      expect(number).toBeGreaterThan(last);
      last = number;
    }
  }
});

test("what the database and the spool know is never given again", () => {
  const numbers = new BatchNumbers(directory(), 5_000, 10);
  expect(numbers.next()).toBe(5_001);
  numbers.atLeast(70_000);
  expect(numbers.next()).toBe(70_001);
});

test.each([
  ["an empty file", ""],
  ["a damaged one", "12x"],
  ["zero", "0"],
])("%s is as none: the clock gives a number that no batch can have had", (_what, content) => {
  const dir = directory();
  writeFileSync(join(dir, "last-number"), content);
  expect(new BatchNumbers(dir, 0, 1_795_800_000_000).next()).toBe(1_795_800_000_001);
});
