import { act, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { Profiler } from "react";
import { useViewStore, usOf } from "../../data/view-store";
import { senderJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { SenderTable } from "./sender-table";

freshPage();

const NOW = usOf("2026-11-28T02:15:07.000000Z");
beforeEach(() => useViewStore.setState({ nowUs: NOW }));

const cells = (name: RegExp) =>
  within(screen.getByRole("row", { name }))
    .getAllByRole("cell")
    .map((c) => c.textContent);

test("a line a sender: what it sent, its clock, when it was last heard", () => {
  draw(
    <SenderTable
      selectedId={null}
      onSelect={() => undefined}
      senders={[
        senderJson(),
        senderJson({ id: 2, name: "cam-3", clockOffsetMs: 125_000, silentSince: "2026-11-28T02:14:37.000000Z" }),
        senderJson({ id: 3, name: "new", lastHeard: null, usualGapSeconds: null, clockOffsetMs: -3_000 }),
        senderJson({ id: 4, name: "set", expectedEverySeconds: 600 }),
      ]}
    />,
  );
  expect(cells(/^vpn-1/).slice(-3)).toEqual(["clock OK", "30 s", "1 min"]);
  expect(cells(/^cam-3/).slice(-3)).toEqual(["2 min 5 s behind", "30 s", "1 min, silent"]);
  expect(cells(/^new/).slice(-3)).toEqual(["3 s ahead", "learning", "never"]);
  expect(cells(/^set/).at(-2)).toBe("10 min (set)");
});

test("sorted by when they were last heard, those never heard come last; a click opens", async () => {
  const opened: number[] = [];
  draw(
    <SenderTable
      selectedId={null}
      onSelect={(s) => opened.push(s.id)}
      senders={[
        senderJson({ id: 1, name: "a", lastHeard: null }),
        senderJson({ id: 2, name: "b", lastHeard: "2026-11-28T02:00:00.000000Z" }),
        senderJson({ id: 3, name: "c", lastHeard: "2026-11-28T02:10:00.000000Z" }),
      ]}
    />,
  );
  const user = userEvent.setup();
  await user.click(screen.getByRole("button", { name: "last heard" }));
  const names = screen
    .getAllByRole("row")
    // between the headings and the sums
    .slice(1, -1)
    .map((r) => r.textContent?.slice(0, 1));
  expect(names).toEqual(["c", "b", "a"]);
  await user.click(screen.getByText("b"));
  expect(opened).toEqual([2]);
});

test("none yet: what to do is said", () => {
  draw(<SenderTable selectedId={null} onSelect={() => undefined} senders={[]} />);
  expect(screen.getByText("No senders yet")).toBeTruthy();
});

test("the clock draws nothing anew but what it changes", () => {
  let drawn = 0;
  draw(
    <Profiler id="table" onRender={() => drawn++}>
      <SenderTable
        selectedId={null}
        onSelect={() => undefined}
        senders={[senderJson({ lastHeard: "2026-11-26T00:10:00.000000Z" })]}
      />
    </Profiler>,
  );
  expect(cells(/^vpn-1/).at(-1)).toBe("2 d 2 h");
  drawn = 0;
  act(() => useViewStore.getState().tick(NOW + 1_000_000));
  act(() => useViewStore.getState().setNeedle(NOW));
  expect(drawn).toBe(0);
  act(() => useViewStore.getState().tick(NOW + 3_600e6));
  expect(drawn).toBe(1);
  expect(cells(/^vpn-1/).at(-1)).toBe("2 d 3 h");
});
