import fc from "fast-check";
import { emptyContent, type RecordContent } from "../model/record/index.js";
import { labelledMessages } from "../testing/families.js";
import { type MessageShape, Relearning, ShapeBook, shapeText, standing } from "./index.js";

const said = (text: string, parts: Partial<RecordContent> = {}): RecordContent => ({
  ...emptyContent("syslog", 0, 0),
  app: "app",
  text,
  ...parts,
});
const texts = (shapes: readonly MessageShape[]) => shapes.map((s) => shapeText(s)).sort();

describe("shapes learnt anew", () => {
  test("one that is the same goes on under its number", () => {
    const anew = new Relearning();
    for (const n of [1, 2, 3]) anew.add(said(`port ${n} is open`), 17);
    const { kept, merged, fresh, records, notMapped } = anew.result();
    expect(kept.map((k) => k.old)).toEqual([17]);
    expect({ merged, fresh, records, notMapped }).toEqual({ merged: [], fresh: [], records: 3, notMapped: 0 });
  });

  test("two that are one now: the one with more of its records goes on, the other leads to it", () => {
    const anew = new Relearning();
    for (const n of [1, 2, 3]) anew.add(said(`port ${n} is open`), 17);
    for (const n of [4, 5]) anew.add(said(`port ${n} is open`), 18);
    const { kept, merged, fresh } = anew.result();
    expect(kept.map((k) => k.old)).toEqual([17]);
    expect(merged.map((m) => [m.old, m.into === kept[0]!.shape])).toEqual([[18, true]]);
    expect(fresh).toEqual([]);
  });

  test("one that is two now: it goes on as the greater part, the rest is said not to lead there", () => {
    const anew = new Relearning();
    for (const n of [1, 2, 3]) anew.add(said(`port ${n} is open`), 17);
    for (const n of [1, 2]) anew.add(said(`crane ${n} moved`), 17);
    const { kept, fresh, notMapped, records } = anew.result();
    expect(texts(kept.map((k) => k.shape))).toHaveLength(1);
    expect(shapeText(kept[0]!.shape)).toContain("port");
    expect(fresh.map((s) => shapeText(s))[0]).toContain("crane");
    expect([notMapped, records]).toEqual([2, 5]);
  });

  test("what had no shape gets one; what has none still has none", () => {
    const anew = new Relearning();
    anew.add(said("port 1 is open"), null);
    anew.add({ ...emptyContent("flow", 0, 0), flow: {} as RecordContent["flow"] }, null);
    const { kept, fresh } = anew.result();
    expect(kept).toEqual([]);
    expect(fresh).toHaveLength(1);
  });

  test("of the same size the lower number goes on, in whatever order they came", () => {
    for (const order of [
      [3, 9],
      [9, 3],
    ]) {
      const anew = new Relearning();
      for (const old of order) anew.add(said(`port ${old} is open`), old);
      expect(anew.result().kept.map((k) => k.old)).toEqual([3]);
    }
  });

  test("each old number leads to one shape, each shape goes on as one at most, and every record is counted", () => {
    const messages = labelledMessages(400, 11).map((m) => said(m.text, { app: m.app }));
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(messages.length - 1), fc.option(fc.integer({ min: 1, max: 12 }))), { maxLength: 200 }),
        (some) => {
          const anew = new Relearning();
          for (const [i, old] of some) anew.add(messages[i]!, old);
          const { kept, merged, fresh, notMapped, records } = anew.result();
          const olds = [...kept, ...merged].map((k) => k.old);
          expect(new Set(olds).size).toBe(olds.length);
          expect(new Set(olds)).toEqual(new Set(some.flatMap(([, old]) => old ?? [])));
          const shapes = [...kept.map((k) => k.shape), ...fresh];
          expect(new Set(shapes).size).toBe(shapes.length);
          for (const { into } of merged) expect(shapes).toContain(into);
          for (const shape of shapes) expect(standing(shape)).toBe(shape);
          expect(notMapped).toBeLessThanOrEqual(records);
          expect(records).toBeLessThanOrEqual(some.length);
        },
      ),
      { numRuns: 60 },
    );
  });
});

/** What a store keeps of a shape. */
const kept = ({ id, origin, tokens, numbers, version }: MessageShape) => ({ id, origin, tokens, numbers, version });

describe("a book that another one follows", () => {
  test("says of every message what the first does", () => {
    const messages = labelledMessages(600, 7).map((m) => said(m.text, { app: m.app }));
    const first = new ShapeBook();
    for (const m of messages) first.learn(m);
    let id = 0;
    const standingOnes = first.takeChanged().filter((s) => s.into === null);
    for (const s of standingOnes) s.id = ++id;
    const second = new ShapeBook();
    for (const s of standingOnes) second.adopt(kept(s));
    expect(second.size).toBe(first.size);
    for (const m of messages) expect(second.learn(m)?.id).toBe(first.learn(m)?.id);
    // it has found nothing that the first had not
    expect(second.takeChanged()).toEqual([]);
  });

  test("takes over what the first has found since: wider shapes, and those that became part of others", () => {
    const first = new ShapeBook();
    const second = new ShapeBook();
    const ofSecond = new Map<number, MessageShape>();
    let id = 0;
    const follow = () => {
      for (const s of first.takeChanged()) {
        const isNew = s.id === 0;
        if (isNew) s.id = ++id;
        const there = ofSecond.get(s.id);
        if (there === undefined) {
          if (s.into === null) ofSecond.set(s.id, second.adopt(kept(s)));
        } else if (s.into === null) second.change(there, s);
        else second.unify(there, ofSecond.get(standing(s).id)!);
      }
    };
    const names = "anna bert carl dora emil finn gina hans ida jens".split(" ");
    for (const name of names) {
      first.learn(said(`the watch of tonight was taken over by ${name} as planned`));
      follow();
    }
    // by then the name is known to be a value
    const text = "the watch of tonight was taken over by zoe as planned";
    expect(shapeText(first.learn(said(text))!)).not.toContain("zoe");
    expect(second.learn(said(text))!.id).toBe(first.learn(said(text))!.id);
    expect(second.size).toBe(first.size);
  });

  test("what could not be kept is told again, once", () => {
    const book = new ShapeBook();
    book.learn(said("the tide turned"));
    const taken = book.takeChanged();
    expect(taken).toHaveLength(1);
    expect(book.takeChanged()).toEqual([]);
    book.putBack(taken);
    expect(book.takeChanged()).toEqual(taken);
  });
});

test("beyond what is told apart, what is new of an origin is one shape of it", () => {
  const book = new ShapeBook(3);
  const words = "quay crane ferry tide berth rope winch".split(" ");
  const shapes = words.map((w) => book.learn(said(`${w} ${w}ing ${w}ed`))!);
  expect(new Set(shapes.slice(3).map(standing)).size).toBe(1);
  // what was known before is known still
  expect(book.learn(said("quay quaying quayed"))).toBe(shapes[0]);
  const other = book.learn(said("something else", { app: "other" }))!;
  expect(other.origin).not.toBe(shapes[3]!.origin);
});
