import { type NotifyRouteJson, NotifyWays } from "@halvik/contract/notify";
import type { NotifyRoute } from "@halvik/core/respond/notify";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { routeJson, ruleLineJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { RouteForm } from "./route-form";

freshPage();

const TIME = "2026-11-28T02:14:07.000000Z";
const RULES = [
  ruleLineJson({ id: "refused-logons", name: "Repeated refused logons", severity: "warning", worstSeverity: "error" }),
  ruleLineJson({ id: "fan", name: "A fan fails", severity: "notice", worstSeverity: "notice" }),
];

const PERSON = { name: "k.lind", to: "k.lind@orvane.example" };
const WAYS = NotifyWays.parse({
  texts: [{ id: 3, name: "norsk", language: "nb-NO", texts: {}, author: "owner", changed: TIME }],
  programs: [],
  engineId: "80007ed905aa",
  channels: [{ id: 4, kind: "webhook", name: "chat", url: "https://chat.example/", author: "owner", changed: TIME }],
  rotas: [
    {
      id: 2,
      name: "night",
      zone: "Europe/Oslo",
      from: "2026-11-02",
      people: [PERSON],
      author: "owner",
      changed: TIME,
      onDuty: { ...PERSON, until: TIME },
    },
  ],
});

const form = (route: NotifyRouteJson | null, forRule: (typeof RULES)[number] | null = null) => {
  const saved: NotifyRoute[] = [];
  draw(
    <RouteForm
      route={route}
      rules={RULES}
      ways={WAYS}
      forRule={forRule}
      busy={false}
      onSave={(r) => saved.push(r)}
      onDelete={() => undefined}
      onCancel={() => undefined}
    />,
  );
  return { saved, user: userEvent.setup() };
};
const save = () => screen.getByRole("button", { name: "Save" });

test("opened and saved, a notification is the same", async () => {
  const route = routeJson({
    about: ["vpn-1", "203.0.113."],
    tags: ["access"],
    rules: ["refused-logons"],
    rotas: [2],
    sites: ["Orvane", "Hestnes"],
    where: "user is k.lind and hour at least 22",
    texts: 3,
    repeatMinutes: 30,
    escalate: [
      { afterMinutes: 15, to: [], rotas: [], channels: [4] },
      { afterMinutes: 40, to: ["lead@orvane.example"], rotas: [2], channels: [] },
    ],
    quiet: [{ days: ["saturday", "monday"], from: "22:00", to: "06:00" }],
    breaks: null,
    digestAt: ["07:00", "15:00"],
    zone: "Europe/Oslo",
  });
  const { saved, user } = form(route);
  await user.click(save());
  const { id: _id, author: _author, changed: _changed, ...same } = route;
  expect(saved).toEqual([same]);
});

test("lists are written with commas; what is chosen is sent", async () => {
  const { saved, user } = form(null);
  await user.type(screen.getByLabelText("Name"), "night watch");
  await user.type(screen.getByLabelText("To"), "a@orvane.example, b@orvane.example,");
  await user.click(screen.getByRole("combobox", { name: "Incidents of severity" }));
  await user.click(screen.getByRole("option", { name: "critical or worse" }));
  await user.click(screen.getByRole("combobox", { name: "How soon" }));
  await user.click(screen.getByRole("option", { name: "after 15 minutes" }));
  await user.click(screen.getByLabelText("it changes or still lasts"));
  await user.click(save());
  expect(saved).toMatchObject([
    {
      name: "night watch",
      to: ["a@orvane.example", "b@orvane.example"],
      severity: "critical",
      delaySeconds: 900,
      tells: ["raise", "clear"],
    },
  ]);
});

test.each([
  ["no name", "Name", "{Backspace>20}"],
  ["no address", "To", "{Backspace>40}"],
  ["what is no address", "To", "{Backspace>40}duty at orvane"],
  ["no number", "Messages an hour at most", "{Backspace>5}many"],
])("%s: it says so where it is, and nothing is sent", async (_what, label, keys) => {
  const { saved, user } = form(routeJson());
  await user.type(screen.getByLabelText(label), keys);
  await user.click(save());
  expect(saved).toEqual([]);
  expect(screen.getAllByRole("alert").length).toBeGreaterThan(0);
});

test("a delay that is none of the usual ones is still there to be kept", async () => {
  const { saved, user } = form(routeJson({ delaySeconds: 1_234 }));
  expect(screen.getByRole("combobox", { name: "How soon" }).textContent).toBe("after 1234 s");
  await user.click(save());
  expect(saved).toMatchObject([{ delaySeconds: 1_234 }]);
});

test("rules are picked by name; one that is never so severe is said", async () => {
  const { saved, user } = form(null, RULES[1]!);
  expect(screen.getByLabelText("Name")).toHaveProperty("value", "A fan fails");
  expect(screen.queryByText(/nothing of it is as severe/)).toBeNull();
  await user.click(screen.getByRole("combobox", { name: "Incidents of severity" }));
  await user.click(screen.getByRole("option", { name: "error or worse" }));
  expect(screen.getByText("It raises notice at the worst: nothing of it is as severe as error.")).toBeTruthy();
  await user.click(screen.getByRole("combobox", { name: "Rules" }));
  await user.click(screen.getByRole("option", { name: "Repeated refused logons" }));
  await user.click(screen.getByRole("button", { name: "Without A fan fails" }));
  await user.type(screen.getByLabelText("To"), "a@orvane.example");
  await user.click(save());
  expect(saved).toMatchObject([{ rules: ["refused-logons"], severity: "error" }]);
});

test("it goes on to somebody else; a step that reaches nobody, and one too early, are said where they stand", async () => {
  const { saved, user } = form(routeJson());
  const add = () => user.click(screen.getByRole("button", { name: "Go on to somebody else" }));
  await add();
  await user.click(save());
  expect(await screen.findByText("expected a mail address, a rota or a channel")).toBeTruthy();
  expect(saved).toEqual([]);
  await user.click(screen.getAllByLabelText("chat")[1]!);
  await add();
  await user.type(screen.getAllByLabelText("To these addresses")[1]!, "lead@orvane.example");
  await user.clear(screen.getAllByLabelText("Minutes after it was raised")[1]!);
  await user.type(screen.getAllByLabelText("Minutes after it was raised")[1]!, "5");
  await user.click(save());
  expect(await screen.findByText("expected later than the step before")).toBeTruthy();
  await user.type(screen.getAllByLabelText("Minutes after it was raised")[1]!, "0");
  await user.click(save());
  expect(saved).toMatchObject([
    {
      escalate: [
        { afterMinutes: 15, to: [], channels: [4] },
        { afterMinutes: 50, to: ["lead@orvane.example"], channels: [] },
      ],
    },
  ]);
});

test("quiet hours are added and taken away", async () => {
  const { saved, user } = form(routeJson());
  await user.click(screen.getByRole("button", { name: "Add quiet hours" }));
  await user.click(screen.getByRole("button", { name: "Add quiet hours" }));
  await user.click(screen.getAllByRole("button", { name: "remove" })[0]!);
  await user.click(save());
  expect(saved).toMatchObject([{ quiet: [{ days: [], from: "22:00", to: "06:00" }], breaks: "critical" }]);
});
