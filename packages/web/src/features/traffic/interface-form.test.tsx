import { TrafficPlaces } from "@halvik/contract/traffic";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { answering } from "../../testing/answering";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { readSentence } from "./asked";
import { InterfaceForm } from "./interface-form";

freshPage();

const known = (capacity: number | null, capacityFrom: "hand" | "counters" | null) =>
  TrafficPlaces.parse({
    sites: [],
    exporters: [
      {
        ...{ id: 4, name: "rt-orvane", site: null },
        interfaces: [
          { index: 3, name: "wan0", capacity, capacityFrom, metersIn: true, metersOut: true },
          { index: -1, name: "not named", capacity: null, capacityFrom: null, metersIn: true, metersOut: false },
        ],
      },
    ],
  });

const opened = async (
  capacity: number | null = null,
  from: "hand" | "counters" | null = null,
  at = "exporter=4&interface=3",
) => {
  const asked = answering({ "PATCH /traffic/interfaces/4/3": {} });
  draw(<InterfaceForm sentence={readSentence(new URLSearchParams(at))} places={known(capacity, from)} />);
  const user = userEvent.setup();
  const button = screen.queryByRole("button");
  if (button !== null) await user.click(button);
  return { asked, user, button, carries: () => screen.getByLabelText("Carries") as HTMLInputElement };
};

test.each([
  ["100 M", 100_000_000],
  ["1G", 1_000_000_000],
  ["1 Gb/s", 1_000_000_000],
  ["2.5 Gbit/s", 2_500_000_000],
  ["155 Mbps", 155_000_000],
  ["64000", 64_000],
  ["", null],
])("what it carries, as people write it: %j", async (text, capacity) => {
  const { asked, user, carries } = await opened();
  if (text !== "") await user.type(carries(), text);
  await user.click(screen.getByRole("button", { name: "Save" }));
  expect(asked).toEqual([["PATCH /traffic/interfaces/4/3", { name: "wan0", capacity }]]);
});

test.each(["fast", "0", "-5 M", "1 Gx"])("%j is refused where it stands", async (text) => {
  const { asked, user, carries } = await opened();
  await user.type(carries(), text);
  await user.click(screen.getByRole("button", { name: "Save" }));
  expect(screen.getByText(/Expected bits a second/)).toBeTruthy();
  expect(asked).toEqual([]);
});

test("what somebody said stands in the field; what counters say does not, so that they go on saying it", async () => {
  const { carries } = await opened(100_000_000, "hand");
  expect(carries().value.replace(/\s/g, "")).toBe("100M");
});

test("what counters say is left to them", async () => {
  const { carries, button } = await opened(100_000_000, "counters");
  expect(button!.textContent).toBe("describe it");
  expect(carries().value).toBe("");
  expect(screen.getByText("Empty: as its counters say.")).toBeTruthy();
});

test.each(["", "exporter=4", "exporter=4&interface=-1", "exporter=9&interface=3"])(
  "of what is no one interface nothing can be said: %j",
  async (at) => {
    const { button } = await opened(null, null, at);
    expect(button).toBeNull();
  },
);
