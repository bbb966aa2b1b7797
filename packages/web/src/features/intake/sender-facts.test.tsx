import type { SenderPortrait } from "@halvik/contract/senders";
import { screen } from "@testing-library/react";
import { useViewStore } from "../../data/view-store";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { clockWords } from "./clock-words";
import { SenderClock } from "./sender-clock";
import { SenderNumbers } from "./sender-numbers";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

test.each([
  [0, "clock OK"],
  [2_000, "clock OK"],
  [-2_000, "clock OK"],
  [2_001, "2 s behind"],
  [-125_000, "2 min 5 s ahead"],
  [86_400_000, "1 d behind"],
])("an arrival %d ms after the device's time: %s", (offset, words) => {
  expect(clockWords(offset)).toBe(words);
});

describe("a sender's clock by the hour", () => {
  const drawn = (clock: SenderPortrait["clock"]) => draw(<SenderClock clock={clock} />).container;

  test("of one that was never held against arrival nothing is drawn", () => {
    expect(drawn([null, null]).querySelector("svg")).toBeNull();
  });

  test("one that was right all the time says so once", () => {
    drawn([null, { least: -300, most: 900 }]);
    expect(screen.getByRole("img").getAttribute("aria-label")).toBe("How far its clock was off, by the hour: clock OK");
  });

  test("one that went away: from where to where; behind lies below the line, hours without word are left out", () => {
    const box = drawn([{ least: -60_000, most: -60_000 }, null, { least: 120_000, most: 240_000 }]);
    expect(screen.getByText(/from 1 min ahead to 4 min behind; the picture reaches 4 min either way/)).toBeTruthy();
    const [ahead, behind, ...others] = [...box.querySelectorAll("rect")].map((r) => Number(r.getAttribute("y")));
    expect(others).toEqual([]);
    expect(ahead).toBeLessThan(20);
    expect(behind).toBeGreaterThan(20);
  });
});

describe("the numbers a sender gives its messages", () => {
  const stream = (over: object) => ({
    ...{ what: "sequenceId", of: "", first: 1, last: 1_000, received: 1_000, missing: 0, anew: 0 },
    ...over,
  });
  const shown = (streams: object[]) =>
    draw(<SenderNumbers sender={4} />, {
      answers: [[["sender numbers", 4], { since: "2026-11-27T02:14:07.000000Z", streams }]],
    }).container;

  test.each([
    ["all came", stream({}), "all 1,000 came"],
    ["some never did", stream({ received: 990, missing: 10 }), "10 of 1,000 never came"],
    ["they do not follow one another", stream({ missing: null }), "say nothing of what is missing"],
    ["they began anew", stream({ anew: 1 }), "they began anew once"],
    ["they began anew again and again", stream({ anew: 3 }), "they began anew 3 times"],
  ])("%s", (_what, one, said) => {
    expect(shown([one]).textContent).toContain(said);
  });

  test("without numbers nothing is claimed", () => {
    expect(shown([]).textContent).toBe("");
  });
});
