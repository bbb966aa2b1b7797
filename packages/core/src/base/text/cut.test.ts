import fc from "fast-check";
import { cutText } from "./cut.js";

test.each([
  ["short enough", "ab", 2, "ab"],
  ["longer", "abc", 2, "ab"],
  ["a pair at the end", "a🚢b", 2, "a"],
  ["a pair before the end", "a🚢b", 3, "a🚢"],
  ["nothing of it", "🚢", 0, ""],
  ["nothing of a pair", "🚢", 1, ""],
])("%s", (_what, text, most, cut) => expect(cutText(text, most)).toBe(cut));

test("what was well formed is so still, at most so long, and at most one shorter", () => {
  fc.assert(
    fc.property(fc.string({ unit: "binary", maxLength: 40 }), fc.nat(50), (text, most) => {
      const cut = cutText(text, most);
      expect(cut.isWellFormed()).toBe(true);
      expect(text.startsWith(cut)).toBe(true);
      expect(Math.min(text.length, most) - cut.length).toBeLessThanOrEqual(1);
      expect(cut.length).toBeLessThanOrEqual(most);
    }),
  );
});
