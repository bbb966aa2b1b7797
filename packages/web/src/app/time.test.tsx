import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { keepLastFilter } from "../data/last-filter";
import { useViewStore } from "../data/view-store";
import { searchOf } from "../navigation/sections";
import { draw } from "../testing/draw";
import { freshPage } from "../testing/fresh-page";
import { PastBand } from "./past-band";
import { TimeDialog } from "./time-dialog";

freshPage();

const HOUR = 3_600e6;
const NOW = Date.UTC(2026, 10, 28, 12, 30) * 1_000;
beforeEach(() => {
  localStorage.clear();
  useViewStore.setState({
    nowUs: NOW,
    zone: "UTC",
    window: { spanUs: 6 * HOUR, endUs: null },
    rail: { spanUs: 12 * HOUR, endUs: null },
    choosingTime: true,
  });
});
const chosen = () => useViewStore.getState().window;

describe("choosing the time", () => {
  const dialog = () => {
    draw(<TimeDialog />);
    return userEvent.setup();
  };
  const type = async (user: ReturnType<typeof userEvent.setup>, label: string, text: string) => {
    await user.clear(screen.getByLabelText(label));
    await user.type(screen.getByLabelText(label), text);
  };

  test("by name: one click, and it closes", async () => {
    const user = dialog();
    await user.click(screen.getByRole("button", { name: "yesterday" }));
    expect(chosen()).toEqual({ spanUs: 24 * HOUR, endUs: Date.UTC(2026, 10, 28) * 1_000 });
    expect(screen.queryByRole("dialog")).toBeNull();
  });

  test("it opens with what is shown; typed, it stands or follows the clock", async () => {
    const user = dialog();
    expect(screen.getByLabelText<HTMLInputElement>("From").value).toBe("28 Nov 06:30");
    expect(screen.getByLabelText<HTMLInputElement>("To").value).toBe("now");
    await type(user, "From", "yesterday 14:20");
    await user.keyboard("{Enter}");
    expect(chosen()).toEqual({ spanUs: 22 * HOUR + HOUR / 6, endUs: null });
  });

  test.each([
    ["soon", "now", "Expected a time such as"],
    ["today", "later", "Expected a time such as"],
    ["today 10:00", "today 09:00", "Expected a time before the end"],
    ["today 23:00", "now", "Expected a time before the end"],
  ])("from %s to %s is not taken, and says why", async (from, to, why) => {
    const user = dialog();
    await type(user, "From", from);
    await type(user, "To", to);
    await user.click(screen.getByRole("button", { name: "Show" }));
    expect(screen.getByRole("alert").textContent).toContain(why);
    expect(chosen()).toEqual({ spanUs: 6 * HOUR, endUs: null });
  });

  test("the zone is that of what is typed, and is kept", async () => {
    useViewStore.setState({ zone: "Europe/Oslo" });
    const user = dialog();
    await type(user, "From", "2026-11-24 02:00");
    await type(user, "To", "2026-11-24 04:00");
    await user.click(screen.getByRole("combobox", { name: "Zone" }));
    await user.click(screen.getByRole("option", { name: "UTC" }));
    await user.click(screen.getByRole("button", { name: "Show" }));
    expect(chosen().endUs).toBe(Date.UTC(2026, 10, 24, 4) * 1_000);
    expect(localStorage.getItem("halvik.zone")).toBe("UTC");
  });
});

describe("looking at the past", () => {
  const past = { spanUs: 2 * HOUR, endUs: Date.UTC(2026, 10, 24, 4) * 1_000 };

  test("is said, and leads back with the same span", async () => {
    useViewStore.setState({ window: past });
    draw(<PastBand />, { at: "/records" });
    expect(screen.getByRole("status").textContent).toContain("24 Nov 02:00 – 04:00");
    await userEvent.setup().click(screen.getByRole("button", { name: "back to now" }));
    expect(chosen()).toEqual({ spanUs: 2 * HOUR, endUs: null });
    expect(screen.queryByRole("status")).toBeNull();
  });

  test("Now says that it does not follow it", () => {
    useViewStore.setState({ window: past });
    draw(<PastBand />, { at: "/now" });
    expect(screen.getByRole("status").textContent).toContain("Now always shows the present");
  });

  test("over midnight both days are named", () => {
    useViewStore.setState({ window: { spanUs: 6 * HOUR, endUs: Date.UTC(2026, 10, 24, 4) * 1_000 } });
    draw(<PastBand />);
    expect(screen.getByRole("status").textContent).toContain("23 Nov 22:00 – 24 Nov 04:00");
  });
});

test("the window goes along to every section, the filter back to Records alone", () => {
  keepLastFilter("severity at least error");
  expect(searchOf("/incidents")).toBe("last=21600s");
  expect(searchOf("/records")).toBe("last=21600s&filter=severity+at+least+error");
  keepLastFilter("");
  expect(searchOf("/records")).toBe("last=21600s");
});
