import type { Measured } from "@halvik/contract/reports";
import type { AnyMeasure } from "@halvik/core/query/measure";
import { fireEvent, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { MeasureForm } from "../../shared/parts/measure-form";
import { PartView } from "../../shared/parts/part-view";
import { periodOptions, readPeriod } from "../../shared/period-words";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";

freshPage();

const WINDOW = { from: "2026-11-22T00:00:00.000000Z", to: "2026-11-29T00:00:00.000000Z" };
const row = (labels: string[], value: number, before: number) => ({
  labels,
  value,
  before,
  records: value,
  exact: true,
  steps: [],
  filter: labels.length === 0 ? "severity at least error" : `(severity at least error) and (host is ${labels[0]})`,
});
const measured: Measured = {
  asked: {
    figure: { of: "records" },
    filter: "severity at least error",
    by: [{ field: "host" }],
    order: "most",
    top: 2,
    perSecond: false,
  },
  says: "records by host",
  unit: "records",
  headings: ["host"],
  rows: [row(["plc-1"], 840, 0), row(["<b>\u202e"], 168, 336)],
  total: row([], 1_680, 2_100),
  others: 3,
  addsUp: true,
  steps: [WINDOW.from, "2026-11-23T00:00:00.000000Z", WINDOW.to],
  stepsBefore: [4, 5],
  complete: true,
  coveredFrom: WINDOW.from,
  source: "rollups",
  filter: "severity at least error",
  reading: "Error or worse.",
  limits: [],
  gaps: [],
  estimated: null,
};

test("rows: shares of all, what changed, the rest; each leads to its records and begins a limit", () => {
  draw(<PartView part={{ is: "measured", as: "bars", title: "Errors", measured }} window={WINDOW} />);
  const [, first, second, all] = screen.getAllByRole("row");
  expect(first!.textContent).toMatch(/plc-1\s*840\s*50\.0 %\s*0\s*new\s*limit/);
  // what was received is text
  expect(second!.textContent).toContain("<b>⟨202E⟩");
  expect(second!.textContent).toContain("−50 %");
  expect(all!.textContent).toMatch(/all, with 3 more.*1,680\s*100\.0 %\s*2,100\s*−20 %/);
  const records = new URL(within(first!).getByRole("link", { name: "plc-1" }).getAttribute("href")!, "http://h");
  expect([records.pathname, records.searchParams.get("filter"), records.searchParams.get("to")]).toEqual([
    "/records",
    "(severity at least error) and (host is plc-1)",
    WINDOW.to,
  ]);
  const limit = new URL(within(first!).getByRole("link", { name: "limit" }).getAttribute("href")!, "http://h")
    .searchParams;
  // 840 in 168 hours: twice five an hour
  expect(Object.fromEntries(limit)).toMatchObject({
    of: "records",
    every: "3600",
    raiseAt: "10",
    clearAt: "8",
    name: "Limit on records: plc-1",
  });
});

test("what could not be counted to the end says so, and what is not exact", () => {
  const open = { ...measured, complete: false, total: { ...measured.total, exact: false } };
  draw(<PartView part={{ is: "measured", as: "figure", title: "Errors", measured: open }} window={WINDOW} />);
  expect(screen.getByText(/At least: of the newest records only/)).not.toBeNull();
  expect(screen.getByRole("link", { name: "≈ 1,680" })).not.toBeNull();
});

test("a line over time is a table one key away", () => {
  draw(
    <PartView
      part={{
        is: "measured",
        as: "course",
        title: "Errors",
        measured: { ...measured, total: { ...measured.total, steps: [7, null] } },
      }}
      window={WINDOW}
    />,
  );
  fireEvent.click(screen.getByRole("button", { name: "as a table" }));
  expect(
    screen
      .getAllByRole("row")
      .slice(1)
      .map((r) => r.textContent),
  ).toEqual(["22 Nov 00:0074", "23 Nov 00:00–5"]);
});

function Form() {
  const [measure, setMeasure] = useState<AnyMeasure>({
    figure: { of: "records" },
    filter: "",
    by: [{ field: "sender" }],
    order: "most",
    top: 10,
    perSecond: false,
  });
  return (
    <>
      <MeasureForm measure={measure} groups={2} onChange={setMeasure} />
      <output>{JSON.stringify(measure)}</output>
    </>
  );
}
const said = () => JSON.parse(screen.getByRole("status").textContent!) as AnyMeasure;
const pick = async (label: string, option: string) => {
  await userEvent.click(screen.getByRole("combobox", { name: label }));
  await userEvent.click(screen.getByRole("option", { name: option }));
};

test("a measure by its form: of a named value, by the clock, no rate where there is none", async () => {
  draw(<Form />);
  expect(screen.getByRole("checkbox", { name: "by the second" })).not.toBeNull();
  await pick("What", "the 95th percentile");
  expect(screen.queryByRole("checkbox", { name: "by the second" })).toBeNull();
  await pick("Of", "a named value …");
  fireEvent.change(screen.getByLabelText("Its name"), { target: { value: "answer time" } });
  await pick("and by", "hour of day");
  fireEvent.change(screen.getByLabelText("Rows"), { target: { value: "500" } });
  expect(said()).toMatchObject({
    figure: { of: "p95", number: { data: "answer time" } },
    by: [{ field: "sender" }, { clock: "hour of day" }],
    top: 100,
  });
  await pick("and by", "nothing else");
  expect(said().by).toEqual([{ field: "sender" }]);
});

test.each<[string, object | null]>([
  ["7 day whole", { last: 7, unit: "day", whole: true }],
  ["24 hour up to now", { last: 24, unit: "hour", whole: false }],
  ["7 fortnight whole", null],
  ["9999 day whole", null],
])("a period in an address: %s", (key, period) => expect(readPeriod(key)).toEqual(period));

test("a period that is none of the usual can be chosen still", () => {
  const odd = { last: 3, unit: "day" as const, whole: true };
  const labels = periodOptions({ last: 7, unit: "day", whole: true }, odd).map((o) => o.label);
  expect(labels[0]).toBe("the last whole 3 days");
  expect(new Set(labels).size).toBe(labels.length);
});
