/** @jest-environment ./packages/web/src/testing/browser-environment.mjs */
import type { NotifyRouteJson } from "@halvik/contract";
import type { NotifyRoute } from "@halvik/core/respond/notify";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { routeJson, ruleLineJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { RouteForm } from "./route-form";

const RULES = [
  ruleLineJson({ id: "refused-logons", name: "Repeated refused logons", severity: "warning", worstSeverity: "error" }),
  ruleLineJson({ id: "fan", name: "A fan fails", severity: "notice", worstSeverity: "notice" }),
];

const form = (route: NotifyRouteJson | null, forRule: (typeof RULES)[number] | null = null) => {
  const saved: NotifyRoute[] = [];
  draw(
    <RouteForm
      route={route}
      rules={RULES}
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
  const route = routeJson({ about: ["vpn-1", "203.0.113."], tags: ["access"], rules: ["refused-logons"] });
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
