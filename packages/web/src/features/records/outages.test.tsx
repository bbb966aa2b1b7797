import { screen } from "@testing-library/react";
import { recordJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { OutageMark, Outages, outagesAmong, outageText } from "./outages";

freshPage();

const at = (minute: number) => `2026-11-28T02:${String(minute).padStart(2, "0")}:00.000000Z`;
const link = (id: string, minute: number, outcome: "failure" | "success", over: object = {}) =>
  recordJson({ id, time: at(minute), category: "link", outcome, interface: "ge0/7", ...over });

test("what went down and came up again says so at both ends, by what was between", () => {
  // newest first, as lists have them
  const among = outagesAmong([link("14", 14, "success"), link("2", 2, "failure")]);
  expect(among.get("2")).toMatchObject({ end: "down", lastedUs: 12 * 60e6 });
  expect(among.get("14")).toMatchObject({ end: "up", lastedUs: 12 * 60e6 });
  draw(
    <Outages.Provider value={among}>
      <OutageMark id="2" />
      <OutageMark id="14" />
      <OutageMark id="99" />
    </Outages.Provider>,
  );
  expect(screen.getByText(/up again after 12 min/)).toBeTruthy();
  expect(screen.getByText(/was down for 12 min/)).toBeTruthy();
});

test.each([
  ["another interface", { interface: "ge0/8" }],
  ["another sender", { sender: { id: 2, name: "sw-2" } }],
  ["something that is no link", { category: "service" as const }],
])("%s ends nothing", (_what, over) => {
  expect(outagesAmong([link("14", 14, "success", over), link("2", 2, "failure")]).size).toBe(0);
});

test("said again while it is down it has been down since the first time", () => {
  const among = outagesAmong([link("14", 14, "success"), link("9", 9, "failure"), link("2", 2, "failure")]);
  expect(among.get("14")).toMatchObject({ lastedUs: 12 * 60e6 });
});

test("the words for either end", () => {
  expect(outageText("down", 90e6)).toBe("up again after 1 min 30 s");
  expect(outageText("up", 3_600e6)).toBe("was down for 1 h");
});
