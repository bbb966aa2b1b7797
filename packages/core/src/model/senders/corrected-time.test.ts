import type { TimeReason } from "../record/index.js";
import { correctedTime, isOrderUncertain } from "./index.js";

const MS = 1_000;
const S = 1_000_000;
const at = (
  timeReason: TimeReason,
  deviceTime: string | null,
  offsetUs: number | null,
  marks: readonly "imported"[] = [],
) => correctedTime({ timeUs: 100 * S, timeReason, deviceTime, marks }, offsetUs);

test.each([
  [
    "a stamp of ms, an offset too small to change what is stored",
    at("device", "2026-11-28T12:00:00.123Z", 700 * MS),
    100.7,
    101,
  ],
  ["behind as well", at("device", "2026-11-28T12:00:00.123456Z", -1_500 * MS), 98.5, 100.001],
  ["a stamp of whole seconds", at("device", "Nov 28 12:00:00", 300 * MS), 100.3, 1_100],
  ["corrected when it was stored: not again", at("corrected", "Nov 28 12:00:00.5", 9 * S), 100, 200],
  [
    "a clock that is off by more since then, when nothing was applied",
    at("device", "2026-11-28T12:00:00.1Z", 9 * S),
    100,
    null,
  ],
  ["a sender that nobody knows a clock of", at("device", "2026-11-28T12:00:00.1Z", null), 100, null],
  ["only arrival tells", at("arrival: no stamp", null, 700 * MS), 100, 1_000],
  ["from a file", at("device", "2026-11-28T12:00:00.1Z", 700 * MS, ["imported"]), 100, null],
] as const)("%s", (_what, { us, uncertaintyUs }, seconds, ms) => {
  expect([us / S, uncertaintyUs === null ? null : uncertaintyUs / MS]).toEqual([seconds, ms]);
});

test("from a file whose senders share events: moved by what those say, as sure as they agree", () => {
  const record = {
    timeUs: 100 * S,
    timeReason: "device",
    deviceTime: "2026-11-28T12:00:00.1Z",
    marks: ["imported"],
  } as const;
  expect(correctedTime(record, 9 * S, { offsetUs: -47 * S, uncertaintyUs: 300 * MS })).toEqual({
    us: 53 * S,
    uncertaintyUs: 400 * MS,
  });
});

test("nearer than both may be wrong, which came first is not told", () => {
  const a = at("device", "2026-11-28T12:00:00.123Z", 0);
  const b = (offset: number) => at("device", "2026-11-28T12:00:00.123Z", offset);
  expect(isOrderUncertain(a, b(202 * MS))).toBe(true);
  expect(isOrderUncertain(a, b(203 * MS))).toBe(false);
  expect(isOrderUncertain(a, at("device", null, null))).toBeNull();
});
