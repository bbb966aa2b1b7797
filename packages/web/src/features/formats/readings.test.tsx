import { FormatReadingList } from "@halvik/contract/formats";
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { answering } from "../../testing/answering";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Readings } from "./read-history";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

const AT = "2026-11-28T02:14:07.000000Z";
const list = (state: string, over: object = {}) =>
  FormatReadingList.parse({
    readings: [
      {
        ...{ id: 1, format: 3, version: 1, name: "cranes", author: "owner", asked: AT, changed: AT, state, why: null },
        ...{ from: "2026-11-01T00:00:00.000000Z", to: AT, looked: 2, amended: 1, readBefore: 0, refused: 0 },
        ...{ partsDone: 1, parts: 1, ...over },
      },
    ],
  });
const shown = (state: string, over: object = {}) => {
  const { client } = draw(<Readings />, {
    answers: [
      [["format-readings"], list(state, over)],
      [["records", "from", "to", "data load is 12.5"], { pages: [], pageParams: [] }],
    ],
  });
  const isFresh = () => client.getQueryState(["records", "from", "to", "data load is 12.5"])?.isInvalidated === false;
  return { client, isFresh, said: () => screen.getByTestId("format-reading").textContent ?? "" };
};

test.each([
  ["waiting", {}, "waits for the keeper"],
  ["reading", { partsDone: 2, parts: 5 }, "part 2 of 5: 1 of 2 records it was tried on read anew"],
  ["done", { readBefore: 3, refused: 1 }, "3 left as another format had read them, 1 could not be kept so"],
  ["failed", { why: "the template is none \u0007" }, "failed: the template is none ␇"],
  ["taking back", {}, "is being taken back"],
  ["taken back", {}, "taken back: those records are as they arrived"],
])("how a reading stands: %s", (state, over, words) => {
  expect(shown(state, over).said()).toContain(words);
});

test("what was answered of records as they were is asked again once a reading goes on, and not before", async () => {
  const { client, isFresh } = shown("taking back");
  expect(isFresh()).toBe(true);
  client.setQueryData(["format-readings"], list("taken back"));
  await waitFor(() => expect(isFresh()).toBe(false));
});

test("one that is done leads to what it read, and is taken back; one that is under way is stopped", async () => {
  const asked = answering({
    "POST /format-readings/1/take-back": list("taking back"),
    "POST /format-readings/1/stop": list("stopped"),
  });
  const user = userEvent.setup();
  const { client } = shown("done");
  const link = screen.getByRole("link", { name: "these records" }).getAttribute("href")!;
  expect(Object.fromEntries(new URLSearchParams(link.split("?")[1]))).toMatchObject({
    filter: "data format is cranes",
    from: "2026-11-01T00:00:00.000Z",
  });
  await user.click(screen.getByRole("button", { name: "take back" }));
  await screen.findByText(/is being taken back/);
  client.setQueryData(["format-readings"], list("reading"));
  const stop = await screen.findByRole("button", { name: "stop" });
  expect(screen.queryByRole("button", { name: "take back" })).toBeNull();
  await user.click(stop);
  expect(asked.map(([what]) => what)).toEqual(["POST /format-readings/1/take-back", "POST /format-readings/1/stop"]);
});
