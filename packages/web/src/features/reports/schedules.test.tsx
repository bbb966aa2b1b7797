import { ReportKept } from "@halvik/contract/reports";
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { answering } from "../../testing/answering";
import { routeJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Schedules } from "./schedules";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "Europe/Oslo" }));

const AT = "2026-11-28T02:14:07.000000Z";
const kept = (schedules: object[] = [], asks = "nothing") =>
  ReportKept.parse({
    id: 4,
    report: {
      name: "Night",
      period: { last: 1, unit: "day" },
      asks,
      parts: [{ is: "text", markdown: "x" }],
    },
    ...{ author: "owner", changed: AT, schedules, runs: [] },
  });
const schedule = (over: object = {}) => ({
  when: { every: "day", at: "06:30" },
  ...{ zone: "Europe/Oslo", routes: [], keep: 30, of: null, enabled: true, ...over },
});
const line = (id: number, says: string, over: object = {}) => ({
  ...{ id, schedule: schedule(), says, author: "owner", next: AT },
  ...over,
});

const shown = (report: ReportKept) => {
  draw(<Schedules kept={report} />, {
    answers: [
      [
        ["notify", "routes"],
        { mail: null, routes: [routeJson({ id: 1, name: "duty" }), routeJson({ id: 2, name: "quay" })] },
      ],
    ],
  });
  return userEvent.setup();
};

test("when it is made next, who hears of it, and what never comes again", () => {
  shown(
    kept([
      line(1, "every day at 06:30"),
      line(2, "every week", { next: null }),
      line(3, "on the 31st", { schedule: schedule({ enabled: false, routes: [1] }) }),
      line(4, "by cron", { schedule: schedule({ routes: [1, 2] }) }),
    ]),
  );
  const said = (text: string) => screen.getByText(text).textContent;
  expect(said("every day at 06:30")).toContain("next 28 Nov 03:14, by owner");
  expect(said("every week")).toContain("never again");
  expect(said("on the 31st")).toContain("switched off, sent by a notification");
  expect(said("by cron")).toContain("sent by 2 notifications");
});

test("without a time it is made when somebody asks", () => {
  shown(kept());
  expect(screen.getByText("When somebody asks for it.")).toBeTruthy();
});

test("a time is added: how often, by whose clock, who is told", async () => {
  const after = kept([line(9, "every month on the 31st")]);
  const asked = answering({ "POST /reports/4/schedules": after });
  const user = shown(kept([], "site"));
  await user.click(screen.getByRole("button", { name: "add a time" }));
  await user.click(screen.getByRole("combobox", { name: "How often" }));
  await user.click(screen.getByRole("option", { name: "every month" }));
  const put = async (label: string, text: string) => {
    await user.clear(screen.getByLabelText(label));
    await user.type(screen.getByLabelText(label), text);
  };
  await put("On day", "31");
  await put("At", "06:30");
  await put("Of which site", " Hestnes ");
  await user.click(screen.getByRole("checkbox", { name: "quay" }));
  await user.click(screen.getByRole("checkbox", { name: "duty" }));
  await user.click(screen.getByRole("checkbox", { name: "duty" }));
  await user.click(screen.getByRole("button", { name: "Save" }));
  expect(asked).toEqual([
    [
      "POST /reports/4/schedules",
      { schedule: schedule({ when: { every: "month", on: 31, at: "06:30" }, of: "Hestnes", routes: [2] }) },
    ],
  ]);
  await waitFor(() => expect(screen.queryByRole("form")).toBeNull());
});

test.each([
  ["At", "half six"],
  ["At", "25:00"],
  ["By the clock of", "Atlantis/Deep"],
  ["Outputs that stay", "0"],
  ["Outputs that stay", "many"],
])("%s: %j is refused in words, and nothing is sent", async (label, text) => {
  const asked = answering({ "PATCH /reports/4/schedules/1": kept() });
  const user = shown(kept([line(1, "every day at 06:30")]));
  await user.click(screen.getByRole("button", { name: "change" }));
  await user.clear(screen.getByLabelText(label));
  await user.type(screen.getByLabelText(label), text);
  await user.click(screen.getByRole("button", { name: "Save" }));
  expect(screen.getByRole("alert").textContent).not.toBe("");
  expect(asked).toEqual([]);
});

test("a cron expression is kept as it is; what is none is refused", async () => {
  const asked = answering({ "PATCH /reports/4/schedules/1": kept() });
  const user = shown(
    kept([line(1, "by cron", { schedule: schedule({ when: { every: "cron", cron: "0 8 * * 1-5" } }) })]),
  );
  await user.click(screen.getByRole("button", { name: "change" }));
  const field = screen.getByLabelText("Cron expression") as HTMLInputElement;
  expect(field.value).toBe("0 8 * * 1-5");
  await user.clear(field);
  await user.type(field, "every other day");
  await user.click(screen.getByRole("button", { name: "Save" }));
  expect(screen.getByRole("alert").textContent).not.toBe("");
  await user.clear(field);
  await user.type(field, "30 6 1 * *");
  await user.click(screen.getByRole("button", { name: "Save" }));
  expect(asked).toMatchObject([[expect.anything(), { schedule: { when: { every: "cron", cron: "30 6 1 * *" } } }]]);
});
