import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { CopyLink } from "./copy-link";

freshPage();

test("a link stands still, with all that narrows the page, also where the window follows the clock", async () => {
  history.replaceState(null, "", "/records?filter=app+is+cron&last=3600s&columns=host");
  const user = userEvent.setup();
  const written: string[] = [];
  Object.defineProperty(navigator, "clipboard", {
    configurable: true,
    value: { writeText: async (text: string) => void written.push(text) },
  });
  const toUs = Date.UTC(2026, 10, 28, 2, 15) * 1_000;
  draw(<CopyLink fromUs={toUs - 3_600e6} toUs={toUs} zone="UTC" />);
  await user.click(screen.getByRole("button", { name: "copy link" }));
  await waitFor(() => expect(written).toHaveLength(1));
  const link = new URL(written[0]!);
  expect(link.pathname).toBe("/records");
  expect(Object.fromEntries(link.searchParams)).toEqual({
    ...{ filter: "app is cron", columns: "host" },
    ...{ from: "2026-11-28T01:15:00.000Z", to: "2026-11-28T02:15:00.000Z" },
  });
});
