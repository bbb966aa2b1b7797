import fc from "fast-check";
import { emptyContent, type RecordContent } from "../model/record/index.js";
import { groupingAccuracy, labelledMessages } from "../testing/families.js";
import { timeForItsSize } from "../testing/node/linear-time.js";
import { type MessageShape, phraseOf, ShapeBook, shapeText, shapeValues, standing, valuesOf } from "./index.js";
import { skeletonOf, tokensOf, VALUE } from "./skeleton.js";

const said = (text: string, parts: Partial<RecordContent> = {}): RecordContent => ({
  ...emptyContent("syslog", 0, 0),
  app: "app",
  text,
  ...parts,
});
const learnt = (book: ShapeBook, texts: readonly string[], parts: Partial<RecordContent> = {}): MessageShape[] =>
  texts.map((text) => book.learn(said(text, parts))!);
/** How many shapes there are in the end. */
const apart = (shapes: readonly MessageShape[]): number => new Set(shapes.map(standing)).size;

describe("what of a text is a value", () => {
  test.each<[string, string]>([
    ["Failed password for root from 203.0.113.9 port 22 ssh2", "Failed password for root from ◆ port ◆ ◆"],
    ["user=anna, state=up (rc=0)", "user=◆, state=◆ (rc=◆)"],
    ["empty= next", "empty=◆ next"],
    ["a == b", "a == b"],
    ["said \"hello there\" and 'bye'", "said \"◆\" and '◆'"],
    ["can't, won't", "can't, won't"],
    ['an open " quote', 'an open " quote'],
    ['{"level":"warn","left":5}', '{"level":"◆","left":◆}'],
    ["02:00:5e:00:00:01 and 2001:db8::7 and ::ffff:192.0.2.1/96 x", "◆ and ◆ and ◆ x"],
    ["at 12:30:01.5 from 10.0.0.1:514, 10.0.0.2:514", "at ◆ from ◆, ◆"],
    ["servers 10.0.0.1,10.0.0.2,10.0.0.3 done", "servers ◆ done"],
    ["since Nov 26 02:18:31 and Thu Nov 26", "since ◆ ◆ and ◆"],
    ["May I", "May I"],
    ["%LINK-3-UPDOWN: Interface Gi0/1", "%LINK-3-UPDOWN: Interface ◆"],
    ["deadbeefcafe and facade", "◆ and facade"],
    ["/var/log/messages and and/or and //", "◆ and and/or and ◆"],
    ["k.lind@orvane.example wrote to files.orvane.example.", "◆ wrote to ◆."],
    ["ORVANE\\k.lind logged on", "◆ logged on"],
    ["tab\there  and   there\n", "tab here and there "],
    ["x".repeat(41), "◆"],
    ["", ""],
  ])("%s", (text, want) => {
    expect(skeletonOf(text).replaceAll(VALUE, "◆")).toBe(want);
  });

  test("what the record itself says is a name", () => {
    expect(skeletonOf("session opened for anna on bridge", ["anna", "bridge"]).replaceAll(VALUE, "◆")).toBe(
      "session opened for ◆ on ◆",
    );
  });

  test("values stand where they are said to, and tokens joined are the skeleton", () => {
    fc.assert(
      fc.property(fc.oneof(fc.string({ unit: "binary" }), fc.string()), (text) => {
        const spans: (readonly [number, number])[] = [];
        const skeleton = skeletonOf(text, [], spans);
        expect([...skeleton].filter((c) => c === VALUE)).toHaveLength(spans.length);
        for (const [i, [start, end]] of spans.entries()) {
          expect(start).toBeLessThanOrEqual(end);
          expect(start).toBeGreaterThanOrEqual(i === 0 ? 0 : spans[i - 1]![1]);
        }
        const tokens = tokensOf(skeleton);
        if (tokens.length <= 96) expect(tokens.join("")).toBe(skeleton);
      }),
      { numRuns: 2_000, seed: 41 },
    );
  });

  test("of half a character at its end, nothing is kept", () => {
    expect(skeletonOf(`${"x ".repeat(1_023)}x🚢 end`).isWellFormed()).toBe(true);
  });
});

describe("what is alike", () => {
  test("few words in a place say what happened, many are a value", () => {
    const book = new ShapeBook();
    expect(apart(learnt(book, ["door bridge opened slowly", "door bridge closed slowly"]))).toBe(2);
    const rooms = ["bridge", "galley", "engine", "hold", "ramp", "office"];
    const shapes = learnt(
      book,
      rooms.map((room) => `the lamp in the ${room} went out again`),
    );
    expect(apart(shapes)).toBe(1);
    expect(shapeText(standing(shapes[0]!))).toBe("the lamp in the $1 went out again");
    // the one that was first stands for all, and what comes later is of it
    expect(standing(shapes[5]!)).toBe(shapes[0]);
    expect(book.learn(said("the lamp in the sauna went out again"))).toBe(shapes[0]);
  });

  test("a number once given stays that value's", () => {
    const book = new ShapeBook();
    const [first] = learnt(book, ["pump anna ran for 5 s on the deck today"]);
    expect(shapeText(first!)).toBe("pump anna ran for $1 s on the deck today");
    learnt(
      book,
      ["bea", "cid", "dag"].map((name) => `pump ${name} ran for 7 s on the deck today`),
    );
    expect(shapeText(first!)).toBe("pump $2 ran for $1 s on the deck today");
    expect(first!.version).toBe(2);
    expect([...valuesOf(first!, said("pump eva ran for 12 s on the deck today"))]).toEqual([
      [2, "eva"],
      [1, "12"],
    ]);
    expect([...valuesOf(first!, said("something else"))]).toEqual([]);
  });

  test("other programs, events and decisions are other shapes; instances of a program are not", () => {
    const book = new ShapeBook();
    const one = book.learn(said("started 5"))!;
    expect(book.learn(said("started 6", { app: "other" }))).not.toBe(one);
    expect(book.learn(said("started 6", { event: "E1" }))).not.toBe(one);
    expect(book.learn(said("started 6", { action: "deny" }))).not.toBe(one);
    expect(book.learn(said("x 1", { app: "worker-12" }))).toBe(book.learn(said("x 2", { app: "worker-7" })));
  });

  test("an event that says what it is, is its own shape, whatever its text", () => {
    const book = new ShapeBook();
    const event = (text: string, id: string) => book.learn(said(text, { kind: "windows", event: id }))!;
    expect(event("a=1 b=two three", "4625")).toBe(event("", "4625"));
    expect(event("", "4624")).not.toBe(event("", "4625"));
    expect(shapeText(event("", "4624"))).toBeNull();
  });

  test("flows have none", () => {
    const flow = { startUs: 0 } as unknown as NonNullable<RecordContent["flow"]>;
    expect(new ShapeBook().learn(said("x", { kind: "flow", flow }))).toBeNull();
  });

  test("a phrase to know it by is the longest text of all its messages", () => {
    const book = new ShapeBook();
    expect(phraseOf(book.learn(said("Failed password for root from 10.0.0.1 port 22"))!)).toBe(
      "Failed password for root from",
    );
    expect(phraseOf(book.learn(said("up 5"))!)).toBeNull();
  });
});

describe("on labelled messages", () => {
  test.each([11, 12, 13, 14])(
    "of twelve programs, drift included, seed %i: 95 % or more are told apart as they are",
    (seed) => {
      const messages = labelledMessages(20_000, seed);
      const book = new ShapeBook();
      const groups = messages.map(({ app, text }) => book.learn(said(text, { app }))!).map(standing);
      expect(
        groupingAccuracy(
          messages.map((m) => m.label),
          groups,
        ),
      ).toBeGreaterThanOrEqual(0.95);
    },
  );

  test("in whatever order they come, and the same for the same order", () => {
    const messages = labelledMessages(6_000, 21);
    fc.assert(
      fc.property(fc.shuffledSubarray([...messages], { minLength: 5_000 }), (some) => {
        const learn = () => {
          const book = new ShapeBook();
          return some.map(({ app, text }) => book.learn(said(text, { app }))!).map(standing);
        };
        const once = learn();
        expect(learn().map((s) => [s.origin, shapeText(s)])).toEqual(once.map((s) => [s.origin, shapeText(s)]));
        expect(
          groupingAccuracy(
            some.map((m) => m.label),
            once,
          ),
        ).toBeGreaterThanOrEqual(0.9);
      }),
      { numRuns: 3, seed: 5 },
    );
  });

  test("the measure of it: groups that are split or hold others count as wrong as a whole", () => {
    expect(groupingAccuracy(["a", "a", "b", "b"], [1, 1, 2, 2])).toBe(1);
    expect(groupingAccuracy(["a", "a", "b", "b"], [1, 2, 3, 3])).toBe(0.5);
    expect(groupingAccuracy(["a", "a", "b", "b"], [1, 1, 1, 1])).toBe(0);
  });
});

describe("within bounds", () => {
  const letters = (n: number) => [...String(n)].map((d) => "bcdfghjklm"[Number(d)]).join("x");

  test("random words of one program become few shapes", () => {
    const book = new ShapeBook();
    const shapes = learnt(
      book,
      Array.from({ length: 5_000 }, (_, i) => `${letters(i * 7)} ${letters(i * 11)} ${letters(i * 13)}`),
    );
    expect(apart(shapes)).toBeLessThanOrEqual(65);
    expect(book.size).toBeLessThanOrEqual(66);
  });

  test("beyond all that is told apart there is one shape of each origin, then of each kind", () => {
    const book = new ShapeBook(10);
    for (let i = 0; i < 3_000; i++) book.learn(said("x", { app: letters(i) }));
    expect(book.size).toBeLessThanOrEqual(10 + 1_000 + 1);
    const [a, b] = [book.learn(said("y", { app: "new-b" }))!, book.learn(said("z", { app: "new-c" }))!];
    expect(a).toBe(b);
    expect(shapeText(a)).toBe("…");
  });

  test.each([
    ["colons and hex", "a:"],
    ["marks", "=;,()"],
    ["open quotes", `" `],
    ["one word", "x"],
    ["spaces", " "],
    ["months", "Nov 1 "],
    ["controls", "\u0002\u0001\u0000"],
  ])("a hostile text takes no longer than its beginning: %s", (_what, part) => {
    const learn = (size: number) => {
      const book = new ShapeBook();
      for (let i = 0; i < 20; i++) book.learn(said(part.repeat(size) + i));
      return book;
    };
    expect(timeForItsSize(5_000, learn)).toBeLessThan(1);
    expect(learn(20_000).size).toBeLessThanOrEqual(20);
  });

  test("random texts: every message gets a shape that says what it says", () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.array(fc.constantFrom("up", "down", "10.0.0.1", "=", "x:", '"', "a b", "é", "7"), { maxLength: 6 }),
          { maxLength: 60 },
        ),
        (lines) => {
          const book = new ShapeBook();
          const texts = lines.map((l) => l.join(" "));
          const shapes = learnt(book, texts).map(standing);
          for (const [i, shape] of shapes.entries()) {
            const words = (shapeText(shape) ?? "").split(/\$\d+/).map((w) => w.trim());
            for (const word of words) expect(texts[i]!.replaceAll(/\s+/g, " ")).toContain(word);
          }
        },
      ),
      { numRuns: 300, seed: 9 },
    );
  });
});

describe("what stands in the places of a shape", () => {
  const of = (...values: string[]) =>
    shapeValues(
      values.map((v) => new Map([[1, v]])),
      3,
    )[0]!;

  test.each<[string, readonly string[], string]>([
    ["addresses", ["10.0.0.1", "2001:db8::1", "10.0.0.1#53"], "address"],
    ["times", ["12:30", "2026-11-26T02:18:31Z"], "time"],
    ["numbers", ["5", "12ms", "-3.5", "80%"], "number"],
    ["words", ["anna", "10.0.0.1"], "word"],
    ["texts", ["anna", "two words"], "text"],
  ])("%s", (_what, values, type) => {
    expect(of(...values).type).toBe(type);
  });

  test("counted, the most frequent first, numbers with their middle", () => {
    expect(of("5 ms", "5 ms", "90 ms")).toEqual({
      number: 1,
      type: "number",
      distinct: 2,
      range: { least: 5, median: 5, most: 90 },
      top: [
        { value: "5 ms", count: 2 },
        { value: "90 ms", count: 1 },
      ],
    });
  });
});
