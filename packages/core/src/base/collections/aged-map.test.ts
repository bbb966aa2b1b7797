import fc from "fast-check";
import { AgedMap } from "./index.js";

test("whatever is set, deleted, made young again and given up: what goes is the oldest, as in a list", () => {
  const act = fc.oneof(
    fc.record({ do: fc.constant("set" as const), key: fc.nat(30) }),
    fc.record({ do: fc.constant("young" as const), key: fc.nat(30) }),
    fc.record({ do: fc.constant("delete" as const), key: fc.nat(30) }),
    fc.record({ do: fc.constant("drop" as const), key: fc.constant(0) }),
    fc.record({ do: fc.constant("look" as const), key: fc.constant(0) }),
    fc.record({ do: fc.constant("clear" as const), key: fc.constant(0) }),
  );
  fc.assert(
    fc.property(fc.array(act, { maxLength: 200 }), (acts) => {
      const map = new AgedMap<number, number>();
      let list: number[] = [];
      for (const { do: what, key } of acts)
        switch (what) {
          case "set":
            map.set(key, key);
            if (!list.includes(key)) list.push(key);
            break;
          case "young":
            map.delete(key);
            map.set(key, key);
            list = [...list.filter((k) => k !== key), key];
            break;
          case "delete":
            map.delete(key);
            list = list.filter((k) => k !== key);
            break;
          case "drop":
            expect(map.oldest()?.[0]).toBe(list[0]);
            expect(map.dropOldest()?.[0]).toBe(list.shift());
            break;
          case "look":
            expect(map.oldest()?.[0]).toBe(list[0]);
            break;
          case "clear":
            map.clear();
            list = [];
        }
      expect([...map.keys()]).toEqual(list);
    }),
    { numRuns: 1_000 },
  );
});
