import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore, usOf } from "../data/view-store";
import { incidentJson } from "../testing/answers";
import { draw } from "../testing/draw";
import { freshPage } from "../testing/fresh-page";
import { howEnded } from "./how-ended";
import { IncidentStrip } from "./incident-strip";

freshPage();

const NOW = usOf("2026-11-28T02:20:31.000000Z");
const HOUR = 3_600e6;
beforeEach(() => useViewStore.setState({ zone: "UTC", nowUs: NOW, window: { spanUs: HOUR, endUs: NOW } }));

const line = (over: Parameters<typeof incidentJson>[0] = {}) => {
  draw(<IncidentStrip incident={incidentJson(over)} />);
  return screen.getByRole("link");
};

test("what it is about, with how many records, how urgent, for how long it has been quiet", () => {
  const { textContent } = line({
    entities: [
      { field: "src", value: "203.0.113.9" },
      { field: "address", value: "203.0.113.9" },
    ],
  });
  expect(textContent).toContain("46 refused logons from 203.0.113.9 on vpn-1");
  // one thing in two fields is named once
  expect(textContent).toContain("203.0.113.9 · 46 records");
  expect(textContent).toContain("urgency 55");
  expect(textContent).toContain("quiet for 2 min");
});

test.each<[string, Parameters<typeof incidentJson>[0], string]>([
  ["one record is one", { count: 1 }, "· 1 record"],
  ["what is new since somebody saw it", { newSinceSeen: ["another rule"] }, "new since seen"],
  ["what it explains, and which of it still lasts", { explains: { all: 3, lasting: 1 } }, "explains 3, 1 still last"],
  ["all of what it explains lasts", { explains: { all: 3, lasting: 3 } }, "explains 3"],
  ["what explains it", { explainedBy: { id: 7, title: "t", why: "" }, folded: true } as never, "explained by 7"],
  ["what it outlasts", { explainedBy: { id: 7, title: "t", why: "" } } as never, "outlasts 7"],
  ["how often it came", { returned: 2 }, "3 times"],
  ["who has it", { assignedTo: "k.lind" }, "k.lind"],
  ["who saw it", { acknowledged: { by: "m.dahl", at: "2026-11-28T02:14:07.000000Z" } }, "seen, m.dahl"],
  ["that it is on the shelf", { shelved: { by: "x", until: "2026-11-29T02:14:07.000000Z", why: "y" } }, "shelved"],
])("%s", (_what, over, said) => {
  expect(line(over).textContent).toContain(said);
});

test.each([
  [{ state: "open", stopped: false, closeReason: null }, "still open"],
  [{ state: "cleared", stopped: false, closeReason: null }, "cleared"],
  // what merely went quiet is not over
  [{ state: "cleared", stopped: true, closeReason: null }, "stopped, not judged"],
  [{ state: "closed", stopped: true, closeReason: "false" }, "closed as false"],
  [{ state: "closed", stopped: false, closeReason: null }, "closed"],
] as const)("how it ended: %j", (of, said) => {
  expect(howEnded(of)).toBe(said);
  if (of.state === "open") expect(line(of).textContent).not.toContain(said);
  else expect(line(of).textContent).toContain(said);
});

test.each([
  [
    "before the window",
    { first: "2026-11-27T02:14:07.000000Z", last: "2026-11-27T02:18:00.000000Z" },
    "↓ 27 Nov 02:14, 3 min",
  ],
  ["within it", {}, "28 Nov 02:14, 4 min"],
  ["in a moment", { last: "2026-11-28T02:14:07.000000Z" }, "28 Nov 02:14"],
])("when its evidence fell, %s", (_what, over, said) => {
  expect(line(over).textContent).toContain(said);
});

test("chosen for an act on several by its box, and opened by its line", async () => {
  let chosen = 0;
  draw(<IncidentStrip incident={incidentJson()} onChoose={() => chosen++} />);
  await userEvent.setup().click(screen.getByRole("checkbox", { name: /^Select 46 refused logons/ }));
  expect(chosen).toBe(1);
  expect(screen.getByRole("link").getAttribute("href")).toBe("/incidents/1");
});

test("the one that keys lead to has the focus", () => {
  draw(<IncidentStrip incident={incidentJson()} selected />);
  expect(document.activeElement).toBe(screen.getByRole("link"));
});
