import { ordinal } from "./index.js";

test.each([
  [1, "1st"],
  [2, "2nd"],
  [3, "3rd"],
  [4, "4th"],
  [11, "11th"],
  [12, "12th"],
  [13, "13th"],
  [21, "21st"],
  [102, "102nd"],
  [111, "111th"],
])("%i is said %s", (n, said) => expect(ordinal(n)).toBe(said));
