import { freshPage } from "../../testing/fresh-page";
import { contrastedWindows } from "./contrast/contrasted";
import { trendText } from "./shapes/trend";
import { sightedIn } from "./sighted";

freshPage();

test.each([
  [10, undefined, ""],
  [10, 0, "none before"],
  [10, 10, "as before"],
  [15, 10, "+50 %"],
  [5, 10, "−50 %"],
  [25, 10, "× 2.5"],
  [5_000, 2, "× 2,500"],
])("%i, and %s before, is said as “%s”", (count, before, want) => {
  expect(trendText(count, before)).toBe(want);
});

test.each<[string, ReturnType<typeof sightedIn>]>([
  ["user is k.lind", { of: "user", value: "k.lind" }],
  ["address is 10.0.0.1", { of: "address", value: "10.0.0.1" }],
  ["address is 10.0.0.0/8", null],
  ["src is 10.0.0.1", null],
  ["user is a, b", null],
  ["not user is a", null],
  ["user exactly a", null],
  ["severity at least error", null],
  ["app is web and host is x", null],
])("first and last times are kept of what “%s” asks for", (filter, want) => {
  expect(sightedIn(filter)).toEqual(want);
});

test("the same time of the four weeks before goes by the clock of the zone", () => {
  // clocks went back in Oslo on 25 October 2026
  const fromUs = Date.UTC(2026, 9, 28, 8) * 1_000;
  const windows = contrastedWindows("weeks", { fromUs, toUs: fromUs + 3_600e6 }, "Europe/Oslo");
  expect(windows.map((w) => w.from)).toEqual([
    "2026-10-21T07:00:00.000Z",
    "2026-10-14T07:00:00.000Z",
    "2026-10-07T07:00:00.000Z",
    "2026-09-30T07:00:00.000Z",
  ]);
  expect(contrastedWindows("before", { fromUs, toUs: fromUs + 3_600e6 }, "UTC")).toEqual([
    { from: "2026-10-28T07:00:00.000Z", to: "2026-10-28T08:00:00.000Z" },
  ]);
});
