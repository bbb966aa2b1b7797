import type { TrafficLists } from "@halvik/contract/traffic";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useLocation } from "react-router";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Pivots } from "./pivots";

freshPage();

const Where = () => {
  const { pathname, search } = useLocation();
  return <output>{pathname + search}</output>;
};
const opened = async (
  dimension: TrafficLists["lists"][number]["dimension"],
  label: string,
  filter: string | null = "src is 10.20.1.7",
  limit: string | null = null,
) => {
  const done: string[] = [];
  draw(
    <>
      <Pivots
        label={label}
        filter={filter}
        dimension={dimension}
        limit={limit}
        onNarrow={(f) => done.push(`narrow ${f}`)}
        onPortrait={(a) => done.push(`portrait ${a}`)}
      />
      <Where />
    </>,
  );
  const user = userEvent.setup();
  const more = screen.queryByRole("button", { name: /^More about/ });
  if (more !== null) await user.click(more);
  return { done, user, items: () => screen.queryAllByRole("menuitem").map((i) => i.textContent) };
};
const ALLOWED = "was it allowed? what firewalls decided";

test.each([
  ["source", "10.20.1.7", ["portrait of 10.20.1.7", ALLOWED]],
  ["destination", "2001:db8::9", ["portrait of 2001:db8::9", ALLOWED]],
  ["pair", "10.20.1.7 → 203.0.113.9", ["portrait of 10.20.1.7", "portrait of 203.0.113.9", ALLOWED]],
  ["service", "203.0.113.9 :443", ["portrait of 203.0.113.9", ALLOWED]],
  ["application", "https", []],
  // what is left over is nobody
  ["source", "others", []],
] as const)("from %s %j", async (dimension, label, more) => {
  const { items } = await opened(dimension, label);
  expect(items()).toEqual(["only this", "without this", ...more]);
});

test("of what no filter can tell there is nothing to go to", async () => {
  const { items } = await opened("application", "others", null);
  expect(screen.queryByRole("button", { name: /^More about/ })).toBeNull();
  expect(items()).toEqual([]);
});

test.each([
  ["only this", "narrow src is 10.20.1.7"],
  ["without this", "narrow not (src is 10.20.1.7)"],
  ["portrait of 10.20.1.7", "portrait 10.20.1.7"],
])("%s", async (item, what) => {
  const { done, user } = await opened("source", "10.20.1.7");
  await user.click(screen.getByRole("menuitem", { name: item }));
  expect(done).toEqual([what]);
});

test("the policy check asks with the ends and the port that the value names; a rule begins where it is said", async () => {
  const { user } = await opened("service", "203.0.113.9 :443", null, "/rules/new?limit=1");
  await user.click(screen.getByRole("menuitem", { name: ALLOWED }));
  const [path, query] = screen.getByRole("status").textContent!.split("?");
  expect(path).toBe("/traffic/policy");
  expect(Object.fromEntries(new URLSearchParams(query))).toMatchObject({ dst: "203.0.113.9", port: "443" });
});
