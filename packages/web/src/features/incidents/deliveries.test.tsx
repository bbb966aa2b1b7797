import type { IncidentDetail } from "@halvik/contract/incidents";
import { screen } from "@testing-library/react";
import { useViewStore } from "../../data/view-store";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Deliveries } from "./deliveries";
import { Similar } from "./similar";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

const AT = "2026-11-28T02:14:07.000000Z";
const delivery = (over: object = {}) => ({
  ...{
    id: 1,
    route: { id: 1, name: "duty" },
    incident: { id: 7, title: "t" },
    tells: "raise",
    state: "sent",
    made: AT,
  },
  ...{
    due: AT,
    ended: "2026-11-28T02:14:11.000000Z",
    attempts: 1,
    why: "",
    to: ["duty@orvane.example"],
    channel: null,
  },
  ...over,
});
const told = (...deliveries: object[]) => {
  draw(<Deliveries incident={7} />, { answers: [[["notify", "deliveries", 7], { deliveries }]] });
  return screen.queryAllByRole("listitem").map((l) => l.textContent);
};

test("to whom, by what, when; what waits, and until when; what was withheld, and why", () => {
  expect(
    told(
      delivery(),
      delivery({ id: 2, state: "waiting", tells: "update", ended: null, due: "2026-11-28T02:29:07.000000Z" }),
      delivery({ id: 3, state: "failed", attempts: 8, why: "550 no such mailbox \u202e", channel: "chat", to: [] }),
      delivery({ id: 4, state: "dropped", why: "quiet hours", to: [] }),
    ),
  ).toEqual([
    "28 Nov 02:14:11 raise sent to duty@orvane.example by mail, “duty”",
    "28 Nov 02:29:07 update waits to duty@orvane.example by mail, “duty”",
    "28 Nov 02:14:11 raise could not be sent by chat, “duty”, 8 attempts: 550 no such mailbox ⟨202E⟩",
    "28 Nov 02:14:11 raise not sent by mail, “duty”: quiet hours",
  ]);
});

test("that nobody was told is said, and why that may be", () => {
  expect(told()).toEqual([]);
  expect(screen.getByText(/^None: no notification is for it/)).toBeTruthy();
});

test("earlier ones like it: how each ended, what makes it like, what somebody noted", () => {
  const one = { id: 3, title: "a scan", state: "closed", stopped: false, closeReason: "expected", last: AT };
  draw(
    <Similar
      similar={
        [
          { ...one, why: "the same rule", note: "the yearly <b>test</b>" },
          { ...one, id: 4, state: "cleared", stopped: true, closeReason: null, why: "both name dc-1", note: "" },
        ] as IncidentDetail["similar"]
      }
    />,
  );
  const [first, second] = screen.getAllByRole("listitem").map((l) => l.textContent);
  expect(first).toBe("a scan 28 Nov 02:14, closed as expectedthe same rulethe yearly <b>test</b>");
  expect(second).toBe("a scan 28 Nov 02:14, stopped, not judgedboth name dc-1");
  expect(screen.getAllByRole("link").map((l) => l.getAttribute("href"))).toEqual(["/incidents/3", "/incidents/4"]);
});
