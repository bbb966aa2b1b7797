import fc from "fast-check";
import { MAX_PENDING, type RuleEvent } from "../../event.js";
import { type Gathered, Gathering } from "./gathered.js";

const MINUTE_US = 60_000_000;

const event = (timeUs: number, id: string): RuleEvent => ({ timeUs, id }) as RuleEvent;

const gathering = () => new Gathering(MINUTE_US, 1_000_000);

/** Everything that waits, in the order in which it settles. */
function settled(from: Gathering): Gathered[] {
  const out: Gathered[] = [];
  for (let next = from.next(Infinity); next !== null; next = from.next(Infinity)) out.push(next);
  return out;
}

const add = (to: Gathering, timeUs: number, id: string, amount = 1): boolean =>
  to.add(timeUs, id, amount, () => event(timeUs, id));

describe("records that settle together", () => {
  test("count and sum once, in whatever order they come and however often", () => {
    const record = fc.record({ second: fc.integer({ min: 0, max: 90 }), id: fc.integer({ min: 1, max: 1_200 }) });
    fc.assert(
      fc.property(fc.array(record, { maxLength: 300 }), (records) => {
        const waiting = gathering();
        // the time of a record is a matter of its id
        const secondOf = new Map<number, number>();
        for (const { id, second } of records) {
          if (!secondOf.has(id)) secondOf.set(id, second);
          add(waiting, secondOf.get(id)! * 1_000_000, String(id), id);
        }
        const all = settled(waiting);
        expect(all.reduce((n, g) => n + g.records, 0)).toBe(secondOf.size);
        expect(all.reduce((n, g) => n + g.sum, 0)).toBe([...secondOf.keys()].reduce((n, id) => n + id, 0));
        for (const g of all) expect(g.ids).toEqual([...g.ids].sort((a, b) => Number(a) - Number(b)));
      }),
    );
  });

  test("are told apart as numbers, not as words: 9 comes before 10", () => {
    const waiting = gathering();
    for (const id of ["10", "9", "100", "9", "10", "100"]) add(waiting, 5, id);
    expect(settled(waiting)).toMatchObject([{ records: 3, ids: ["9", "10", "100"] }]);
  });

  test("are kept apart by stretch and by the second in which they settle", () => {
    const waiting = gathering();
    expect(add(waiting, 61 * 1_000_000, "2")).toBe(true);
    expect(add(waiting, 59.5 * 1_000_000, "1")).toBe(true);
    expect(add(waiting, 61 * 1_000_000, "3")).toBe(false);
    // a minute ends where its last second does, not with the second that settles after it
    expect(settled(waiting)).toMatchObject([
      { startUs: 0, endUs: MINUTE_US - 1, records: 1 },
      { startUs: MINUTE_US, endUs: 61 * 1_000_000, records: 2 },
    ]);
  });

  test("wait until the watermark is there", () => {
    const waiting = gathering();
    add(waiting, 500_000, "1");
    expect(waiting.nextUs).toBe(1_000_000);
    expect(waiting.next(999_999)).toBeNull();
    expect(waiting.next(1_000_000)).toMatchObject({ records: 1 });
    expect(waiting.isEmpty).toBe(true);
    expect(waiting.nextUs).toBe(Infinity);
  });

  test("that stand by themselves are the first by time and id, whenever they come", () => {
    const waiting = gathering();
    for (const at of [900, 100, 500, 300, 700]) add(waiting, at, String(at));
    expect(settled(waiting)[0]!.events.map((e) => e.id)).toEqual(["100", "300", "500", "700", "900"]);
  });

  test("more than are remembered still count, in bounded memory", () => {
    const waiting = gathering();
    for (let id = MAX_PENDING + 500; id > 0; id--) add(waiting, 7, String(id));
    const [all] = settled(waiting);
    expect(all).toMatchObject({ records: MAX_PENDING + 500, sum: MAX_PENDING + 500 });
    expect(all!.ids).toHaveLength(MAX_PENDING);
  });
});
