import fc from "fast-check";
import { emptyContent, type RecordContent } from "../model/record/index.js";
import { groupingAccuracy, labelledMessages } from "../testing/families.js";
import { MOST_SHAPES, ShapeBook, shapeText, standing, valuesOf } from "./index.js";
import { skeletonOf, tokensOf, VALUE } from "./skeleton.js";

const said = (text: string, parts: Partial<RecordContent> = {}): RecordContent => ({
  ...emptyContent("syslog", 0, 0),
  app: "app",
  text,
  ...parts,
});
const shown = (text: string, names: readonly string[] = []) => skeletonOf(text, names).replaceAll(VALUE, "◆");

describe("accuracy on labelled messages", () => {
  test.each([11, 12, 13])("of seed %i", (seed) => {
    const messages = labelledMessages(20_000, seed);
    const book = new ShapeBook();
    const shapes = messages.map(({ app, text }) => book.learn(said(text, { app }))!);
    const groups = shapes.map(standing);
    if (process.env["SHOW"]) {
      const by = new Map<string, Map<string, number>>();
      messages.forEach((m, i) => {
        const g = shapeText(groups[i]!)!;
        const t = by.get(m.label) ?? new Map();
        t.set(g, (t.get(g) ?? 0) + 1);
        by.set(m.label, t);
      });
      for (const [l, t] of by) if (t.size > 1) console.log(l, [...t]);
    }
    expect(
      groupingAccuracy(
        messages.map((m) => m.label),
        groups,
      ),
    ).toBeGreaterThanOrEqual(0.95);
  });
});
