import { RateCap } from "./rate-cap.js";

test("over its rate a peer is capped, the others are not; time gives back (semantics 11)", () => {
  const cap = new RateCap(10);
  const count = (peer: string, atUs: number, tries: number) =>
    Array.from({ length: tries }, () => cap.allows(peer, atUs)).filter(Boolean).length;
  expect(count("loud", 0, 100)).toBe(20);
  expect(count("quiet", 0, 5)).toBe(5);
  expect(count("loud", 500_000, 100)).toBe(5);
  expect(count("loud", 60_000_000, 100)).toBe(20);
});
