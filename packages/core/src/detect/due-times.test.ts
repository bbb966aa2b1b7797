import fc from "fast-check";
import { DueTimes } from "./due-times.js";

test("keys come due in order of their second, each once", () => {
  const due = new DueTimes();
  due.add(30, "c");
  due.add(10, "a");
  due.add(10, "b");
  expect(due.take(9)).toEqual([]);
  expect(due.take(20)).toEqual([{ second: 10, keys: ["a", "b"] }]);
  expect(due.take(20)).toEqual([]);
  expect(due.take(30)).toEqual([{ second: 30, keys: ["c"] }]);
});

test("what is added for a second that is over comes with the next look", () => {
  const due = new DueTimes();
  due.add(10, "a");
  due.take(15);
  due.add(10, "a");
  expect(due.take(15)).toEqual([{ second: 10, keys: ["a"] }]);
});

test("against a list that is sorted: whatever is added and asked for", () => {
  const act = fc.oneof(
    fc.record({ add: fc.integer({ min: 1, max: 40 }) }),
    fc.record({ take: fc.integer({ min: 0, max: 45 }) }),
  );
  fc.assert(
    fc.property(fc.array(act, { maxLength: 60 }), (acts) => {
      const due = new DueTimes();
      let plain: { second: number; key: string }[] = [];
      for (const [i, a] of acts.entries())
        if ("add" in a) {
          due.add(a.add, `k${i}`);
          plain.push({ second: a.add, key: `k${i}` });
        } else {
          const expected = plain.filter((p) => p.second <= a.take).sort((x, y) => x.second - y.second);
          plain = plain.filter((p) => p.second > a.take);
          const got = due.take(a.take).flatMap(({ second, keys }) => keys.map((key) => ({ second, key })));
          expect(got).toEqual(expected);
        }
    }),
    { seed: 8 },
  );
});
