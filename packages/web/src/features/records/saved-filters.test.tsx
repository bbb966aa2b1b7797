import type { SavedFilterList } from "@halvik/contract/filters";
import { fireEvent, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { recentFilters, rememberFilter } from "../../data/recent-filters";
import { answering, refusal } from "../../testing/answering";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { SavedFilters } from "./saved-filters";

freshPage();

const saved = (id: number, name: string, over: object) => ({
  ...{ id, name, text: `app is ${name}`, shared: false, owner: "owner", mine: true },
  ...over,
});
const LIST = {
  filters: [
    saved(1, "cron", {}),
    saved(2, "tills", { shared: true }),
    saved(3, "night", { mine: false, owner: "k.lind" }),
  ],
} as SavedFilterList;

const opened = async (filter: string, list: SavedFilterList = LIST) => {
  const picked: string[] = [];
  draw(<SavedFilters filter={filter} onPick={(text) => picked.push(text)} />, { answers: [[["filters"], list]] });
  const user = userEvent.setup();
  await user.click(screen.getByRole("button", { name: "saved and recent" }));
  return { picked, user, open: async (name: RegExp) => user.click(screen.getByRole("menuitem", { name })) };
};

test("whose each is, is said; another's is used, and not deleted", async () => {
  const { picked, open } = await opened("");
  const lines = screen.getAllByRole("menuitem").map((i) => i.textContent);
  expect(lines).toEqual(["cronyours", "tillsshared by you", "nightby k.lind"]);
  await open(/^night/);
  expect(screen.queryByRole("menuitem", { name: "Delete it" })).toBeNull();
  fireEvent.click(screen.getByRole("menuitem", { name: "Use it by its name" }));
  expect(picked).toEqual(['filter "night"']);
});

test("what it says is used, or it is deleted", async () => {
  const asked = answering({ "DELETE /filters/1": null });
  const { picked, user, open } = await opened("");
  await open(/^cron/);
  fireEvent.click(screen.getByRole("menuitem", { name: "Use what it says" }));
  expect(picked).toEqual(["app is cron"]);
  await user.click(screen.getByRole("button", { name: "saved and recent" }));
  await open(/^cron/);
  fireEvent.click(screen.getByRole("menuitem", { name: "Delete it" }));
  await waitFor(() => expect(asked).toEqual([["DELETE /filters/1", null]]));
});

test("this one is saved by a name, for oneself or for everyone; a name that is taken is said at the name", async () => {
  answering({ "POST /filters": refusal("there is a filter “cron” already") });
  const { user, open } = await opened("severity at least error");
  await open(/^Save this filter/);
  const save = await screen.findByRole("button", { name: "Save" });
  expect((save as HTMLButtonElement).disabled).toBe(true);
  await user.type(screen.getByLabelText("Name"), "cron");
  await user.click(save);
  expect(await screen.findByText("there is a filter “cron” already")).toBeTruthy();
  const asked = answering({ "POST /filters": null });
  await user.click(screen.getByRole("checkbox", { name: "shared with everyone" }));
  await user.click(save);
  expect(asked).toEqual([["POST /filters", { name: "cron", text: "severity at least error", shared: true }]]);
});

test("without a filter there is nothing to save; without saved ones that is said", async () => {
  await opened("", { filters: [] });
  expect(screen.queryByRole("menuitem", { name: /^Save/ })).toBeNull();
  expect(screen.getByText("No filter is saved yet")).toBeTruthy();
  expect(screen.getByText("None used in this browser yet")).toBeTruthy();
});

test("the latest filters of this browser: each once, the newest first, no more than fifteen", async () => {
  for (let i = 0; i < 20; i++) rememberFilter(`app is a${i}`);
  rememberFilter("app is a10");
  rememberFilter("");
  expect(recentFilters()).toHaveLength(15);
  expect(recentFilters().slice(0, 3)).toEqual(["app is a10", "app is a19", "app is a18"]);
  const { picked, open } = await opened("", { filters: [] });
  await open(/^app is a19/);
  expect(picked).toEqual(["app is a19"]);
});

test.each(["not json", '{"a":1}', '[1,2,"app is x"]'])("what something else wrote there harms nothing: %s", (kept) => {
  localStorage.setItem("halvik.recent-filters", kept);
  expect(recentFilters()).toEqual(kept.includes("app") ? ["app is x"] : []);
  rememberFilter("app is y");
  expect(recentFilters()[0]).toBe("app is y");
});
