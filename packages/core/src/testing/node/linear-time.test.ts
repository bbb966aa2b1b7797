import { LINEAR_AT_MOST, timeForItsSize } from "./linear-time.js";

test("what looks at every character once is linear; what looks at each beside every other is not", () => {
  const looks = (text: string, beside: (at: number) => number) => {
    let seen = 0;
    for (let i = 0; i < text.length; i++) for (let k = beside(i); k <= i; k++) seen += text.charCodeAt(k) ^ i;
    return seen;
  };
  expect(timeForItsSize(2_000, (size) => looks("x".repeat(size), (at) => at))).toBeLessThan(LINEAR_AT_MOST);
  expect(timeForItsSize(250, (size) => looks("x".repeat(size), () => 0))).toBeGreaterThan(LINEAR_AT_MOST);
});
