import type { TrafficAnswer, TrafficLists } from "@halvik/contract/traffic";
import { render, screen, within } from "@testing-library/react";
import { createMemoryRouter, RouterProvider } from "react-router";
import { freshPage } from "../../testing/fresh-page";
import { TooltipProvider } from "../../ui/tooltip";
import { readSentence, scopeFilter } from "./asked";
import { TrafficListTable } from "./lists";
import { csvOf } from "./step-table";

freshPage();

const sentence = readSentence(new URLSearchParams());
const amounts = { bytes: 5_000_000, packets: 5_000, flows: 12 };
const list: TrafficLists["lists"][number] = {
  dimension: "application",
  rows: [
    {
      label: "https \u202e",
      unnamed: false,
      filter: "application is https",
      amounts,
      share: 0.5,
      course: [1, 2],
      weekBefore: 2_000_000,
    },
    {
      label: "unnamed udp 23470",
      unnamed: true,
      filter: "protocol is 17 and port is 23470",
      amounts,
      share: 0.004,
      course: [],
      weekBefore: 0,
    },
  ],
  others: { values: 3, atLeast: true, amounts, share: 0.496 },
  mayLack: 4_000,
};
const draw = (onAll: (() => void) | null) => {
  const element = (
    <TooltipProvider>
      <TrafficListTable
        list={list}
        sentence={sentence}
        scope="kind is flow"
        bands={["https \u202e"]}
        onAll={onAll}
        onNarrow={() => undefined}
        onPortrait={() => undefined}
      />
    </TooltipProvider>
  );
  render(<RouterProvider router={createMemoryRouter([{ path: "/", element }])} />);
};

test("a value says its share, amount and change, and leads to its records; what has no name can be given one", () => {
  draw(null);
  const [first, second, others] = screen.getAllByRole("listitem");
  expect(first!.textContent).toBe("https ⟨202E⟩⋯50 %5 MB× 2.5");
  expect(second!.textContent).toContain("name it");
  expect(second!.textContent).toContain("< 1 %");
  expect(second!.textContent).toContain("new");
  expect(others!.textContent).toContain("3 or more others");
  const link = within(first!).getByRole("link");
  expect(new URL(link.getAttribute("href")!, "http://x").searchParams.get("filter")).toBe(
    "kind is flow and application is https",
  );
  expect(screen.getByText(/up to 4 kB more/)).toBeTruthy();
});

test("all of a list is offered where there is more", () => {
  draw(() => undefined);
  expect(screen.getByRole("button", { name: "all 5+" })).toBeTruthy();
});

test("the sentence is read from the address; what is none of its words means what it begins with", () => {
  const read = (text: string) => readSentence(new URLSearchParams(text));
  expect(read("exporter=4&interface=1&site=x&by=pair&measure=flows&scale=log&count=exported")).toEqual({
    site: undefined,
    exporter: 4,
    interface: 1,
    by: "pair",
    measure: "flows",
    scale: "log",
    count: "exported",
    among: "all",
    words: "",
  });
  expect(read("exporter=1e9&interface=2&by=colour&measure=x&scale=y&count=z")).toEqual(read(""));
});

test("a filter for the flows of a sentence", () => {
  const places = {
    sites: ["Port of Hestnes"],
    exporters: [{ id: 4, name: "rt hestnes", site: null, interfaces: [] }],
  };
  expect(scopeFilter(readSentence(new URLSearchParams("exporter=4&interface=2")), "", places)).toBe(
    'kind is flow and sender is "rt hestnes" and (ingress is 2 or egress is 2)',
  );
  expect(
    scopeFilter(readSentence(new URLSearchParams("site=Port of Hestnes")), "src is ::1 or dst is ::1", places),
  ).toBe('kind is flow and sender in site "Port of Hestnes" and (src is ::1 or dst is ::1)');
  expect(scopeFilter(sentence, "", places)).toBe("kind is flow");
});

test("the numbers as a file: nothing in it is a formula", () => {
  const answer = {
    sides: 1,
    bands: ['=HYPERLINK("x")'],
    steps: [{ from: "2026-11-28T20:00:00.000000Z", whole: [5], bands: [[3]], weekBefore: [0] }],
  } as unknown as TrafficAnswer;
  expect(csvOf(answer, "bytes")).toBe(
    '"from","bytes","\'=HYPERLINK(""x"")","bytes a week before"\r\n"2026-11-28T20:00:00.000000Z","5","3","0"\r\n',
  );
});
