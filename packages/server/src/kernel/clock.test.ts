import { WallClock } from "./clock.js";

const HOUR = 3_600_000;

test.each([
  ["forward by an hour", HOUR],
  ["back by a day", -24 * HOUR],
  ["back by two seconds", -2_000],
])("set %s: followed at once, told once", (_what, jump) => {
  let wallMs = 1_795_800_000_000;
  let steadyMs = 10;
  const clock = new WallClock(() => ({ wallMs, steadyMs }));
  const told: number[] = [];
  clock.onJump((ms) => told.push(ms));
  const run = (ms: number) => {
    wallMs += ms;
    steadyMs += ms;
  };
  run(5.25);
  expect(clock.nowUs()).toBe(Math.floor(wallMs * 1_000));
  wallMs += jump;
  expect(clock.nowUs()).toBe(Math.floor(wallMs * 1_000));
  run(1_000);
  expect(clock.nowUs()).toBe(Math.floor(wallMs * 1_000));
  expect(told).toEqual([jump]);
});

test("a clock that runs a little differently jumps nowhere, and µs never go back", () => {
  let wallMs = 1_000_000;
  let steadyMs = 0;
  const clock = new WallClock(() => ({ wallMs: Math.floor(wallMs), steadyMs }));
  let jumps = 0;
  clock.onJump(() => jumps++);
  let last = 0;
  for (let i = 0; i < 10_000; i++) {
    steadyMs += 0.01;
    // 500 ppm: as far off as a clock may be disciplined (RFC 5905, 11.3: the limit of the frequency)
    wallMs += 0.01 * 1.0005;
    const now = clock.nowUs();
    expect(now).toBeGreaterThanOrEqual(last);
    last = now;
  }
  expect(jumps).toBe(0);
});
