import type { IncidentDetail } from "@halvik/contract/incidents";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { answering } from "../../testing/answering";
import { incidentJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Another, Split } from "./pick-one";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

test("another incident is picked among those that are not closed, and not itself", async () => {
  const list = {
    incidents: [
      incidentJson({ id: 7, title: "this one" }),
      incidentJson({ id: 8, title: "let in as t.vik" }),
      incidentJson({ id: 9, title: "over", state: "closed" }),
      incidentJson({ id: 10, title: "a scan", state: "cleared" }),
    ],
  };
  answering({ "GET /incidents": list });
  const picked: number[] = [];
  draw(<Another id={7} about="Its findings move there." onPick={(id) => picked.push(id)} />);
  await screen.findByText("let in as t.vik");
  expect(screen.getAllByRole("button").map((b) => b.textContent)).toEqual(["let in as t.vik8", "a scan10"]);
  await userEvent.setup().click(screen.getByRole("button", { name: /^a scan/ }));
  expect(picked).toEqual([10]);
});

test("found by words of its title, or by its number, also where it is older than what is listed", async () => {
  answering({
    "GET /incidents": {
      incidents: [
        incidentJson({ id: 8, title: "let in as t.vik" }),
        incidentJson({ id: 10, title: "a scan of 8 ports" }),
      ],
    },
  });
  const picked: number[] = [];
  draw(<Another id={7} about="Its findings move there." onPick={(id) => picked.push(id)} />);
  const user = userEvent.setup();
  const field = await screen.findByLabelText("Which incident");
  const find = async (text: string) => {
    await user.clear(field);
    await user.type(field, text);
    return screen.queryAllByRole("button").map((b) => b.textContent);
  };
  await screen.findByText("let in as t.vik");
  expect(await find("VIK let")).toEqual(["let in as t.vik8"]);
  expect(await find("8")).toEqual(["let in as t.vik8", "a scan of 8 ports10"]);
  expect(await find("weather")).toEqual([]);
  expect(screen.getByText("None of those that are not closed is called so.")).toBeTruthy();
  // itself is no other
  expect(await find("#7")).toEqual([]);
  expect(await find("#3")).toEqual(["the one of this number3"]);
  await user.click(screen.getByRole("button", { name: /this number/ }));
  expect(picked).toEqual([3]);
});

test("where there is no other that is said", async () => {
  answering({ "GET /incidents": { incidents: [] } });
  draw(<Another id={7} about="" onPick={() => undefined} />);
  expect(await screen.findByText("There is no other incident that is not closed.")).toBeTruthy();
});

describe("what is taken out of an incident", () => {
  const finding = (id: number, rule: string, entities: object[]) => ({
    ...{ id, rule, first: "2026-11-28T02:14:07.000000Z", count: 1_204, entities },
  });
  const user = { field: "user", value: "t.vik" };
  const src = { field: "src", value: "10.20.1.61" };
  const sender = { field: "sender", value: "dc-1" };
  const detail = {
    findings: [
      finding(1, "guessed", [user, src, sender]),
      finding(2, "group-joined", [user, sender]),
      finding(3, "gone", [src, sender]),
    ],
    rules: [
      { id: "guessed", name: "Logon after refusals" },
      { id: "group-joined", name: "An account joined a group" },
    ],
  } as unknown as IncidentDetail;
  const split = () => {
    const picked: object[] = [];
    draw(<Split detail={detail} onPick={(what) => picked.push(what)} />);
    return { picked, lines: () => screen.getAllByRole("button").map((b) => b.textContent) };
  };

  test("each finding, and what some of them name; what all of them name would take everything", () => {
    const { lines } = split();
    expect(lines()).toEqual([
      "Logon after refusals (1,204)28 Nov 02:14:07",
      "An account joined a group (1,204)28 Nov 02:14:07",
      // a rule that is no more goes by its id
      "gone (1,204)28 Nov 02:14:07",
      "all that name user t.vik2 findings",
      "all that name src 10.20.1.612 findings",
    ]);
  });

  test("by a finding, or by a thing", async () => {
    const { picked } = split();
    const act = userEvent.setup();
    await act.click(screen.getByRole("button", { name: /^An account joined/ }));
    await act.click(screen.getByRole("button", { name: /^all that name src/ }));
    expect(picked).toEqual([{ finding: 2 }, { entity: src }]);
  });
});
