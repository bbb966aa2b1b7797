import type { HistogramAnswer, RecordJson } from "@halvik/contract/records";
import { Pinnable } from "@halvik/core/papers";
import { usOf } from "../../data/view-store";
import { freshPage } from "../../testing/fresh-page";
import { recordPins } from "./record-pins";

freshPage();

const [from, to] = ["2026-11-26T00:00:00.000Z", "2026-11-26T04:00:00.000Z"];
const WINDOW = { from, to, fromUs: usOf(from), toUs: usOf(to) };
const record = (id: string) =>
  ({ id, sender: { name: "vpn-1" }, text: "x", sentence: `sentence ${id}` }) as unknown as RecordJson;
const shown = (parts: Partial<Parameters<typeof recordPins>[0]> = {}) =>
  recordPins({
    window: WINDOW,
    filter: "app is sshd",
    zone: "UTC",
    params: new URLSearchParams(),
    view: "lines",
    selectedId: null,
    records: [record("1"), record("2")],
    marked: [],
    counts: undefined,
    ...parts,
  });

test("the selected record first, then the marked ones, then the search", () => {
  const choices = shown({ selectedId: "2", marked: [record("2"), record("1")] });
  expect(choices.map((c) => c.label)).toEqual([
    "the record vpn-1: sentence 2",
    "the record vpn-1: sentence 1",
    "the search app is sshd",
  ]);
  for (const { pin } of choices) expect(Pinnable.safeParse(pin).success).toBe(true);
  // one that is not among the lines is pinned all the same
  expect(shown({ selectedId: "9" })[0]).toMatchObject({ pin: { is: "record", id: "9" } });
});

test("of each view what it shows; of a filter with a mistake nothing", () => {
  expect(shown({ view: "shapes", params: new URLSearchParams({ shape: "17" }) })[0]!.pin).toMatchObject({
    is: "shape",
    id: 17,
  });
  expect(shown({ view: "changed" })[0]!.pin).toMatchObject({
    is: "contrast",
    against: [{ from: "2026-11-25T20:00:00.000Z", to: from }],
  });
  const other = new URLSearchParams({ against: "other", other: "app is cron", per: "records" });
  expect(shown({ view: "changed", params: other })[0]!.pin).toMatchObject({ other: "app is cron", per: "records" });
  expect(shown({ filter: null })).toEqual([]);
});

test("the counts as a chart: what was not counted is not known", () => {
  const counts = {
    widthSeconds: 3_600,
    buckets: [{ from: "2026-11-26T02:00:00Z", count: 5, errors: 0 }],
    exact: false,
    coveredFrom: "2026-11-26T01:00:00Z",
    window: { from, to },
  } as unknown as HistogramAnswer;
  const chart = shown({ counts }).at(-1)!.pin;
  expect(chart).toMatchObject({ is: "chart", chart: { series: [{ values: [null, 0, 5, 0] }] } });
  expect(Pinnable.safeParse(chart).success).toBe(true);
});
