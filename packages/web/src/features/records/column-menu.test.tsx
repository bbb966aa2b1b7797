import { parseFilter } from "@halvik/core/query/filter";
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { ColumnMenu } from "./column-menu";
import type { ChosenColumn } from "./columns";
import { COLUMN_NAMES, columnsOf, isColumn, onlyKind, usualColumns } from "./list-columns";

freshPage();

const opened = async (begin: readonly ChosenColumn[]) => {
  const said: (readonly ChosenColumn[] | null)[] = [];
  const Held = () => {
    const [columns, setColumns] = useState(begin);
    return (
      <ColumnMenu
        columns={columns}
        chosen
        onChange={(next) => {
          said.push(next);
          setColumns(next ?? begin);
        }}
      />
    );
  };
  draw(<Held />);
  const user = userEvent.setup();
  await user.click(screen.getByRole("button", { name: "columns" }));
  return {
    user,
    last: () => said[said.length - 1],
    press: (name: string) => user.click(screen.getByRole("button", { name })),
    order: () =>
      within(screen.getByRole("list"))
        .getAllByRole("listitem")
        .map((li) => li.firstChild!.textContent),
  };
};
const THREE = usualColumns("windows");

test("columns change places, keep their widths, and go no further than the edge", async () => {
  const { press, order, last } = await opened([{ name: "src", width: 220 }, ...THREE]);
  expect(screen.getByRole("button", { name: "src further left" })).toHaveProperty("disabled", true);
  await press("src further right");
  await press("what happened further left");
  expect(order()).toEqual(["event", "src", "what happened", "user"]);
  expect(last()).toContainEqual({ name: "src", width: 220 });
});

test("one is taken out, never the last; one is added of those that are not there; all as usual again", async () => {
  const { press, user, order, last } = await opened(THREE);
  await press("Remove user");
  await press("Remove event");
  expect(screen.getByRole("button", { name: "Remove what happened" })).toHaveProperty("disabled", true);
  await user.click(screen.getByRole("combobox", { name: "Add a column" }));
  expect(screen.queryByRole("option", { name: "what happened" })).toBeNull();
  await user.click(screen.getByRole("option", { name: "severity" }));
  expect(order()).toEqual(["what happened", "severity"]);
  await press("Reset");
  expect(last()).toBeNull();
});

test.each([
  ["kind is flow", "flow"],
  ["kind is flow and bytes over 10 kB", "flow"],
  ["(kind is windows and event is 4625) and user is x", "windows"],
  ["kind in flow, windows", null],
  ["not kind is flow", null],
  ["kind is flow or kind is windows", null],
  ["app is sshd", null],
])("%s: columns of %j", (text, kind) => {
  const parsed = parseFilter(text, { nowUs: 0, zone: "UTC" } as never);
  expect("filter" in parsed ? onlyKind(parsed.filter) : parsed).toBe(kind);
});

test("every usual column is one, and an unknown one is passed over", () => {
  for (const kind of [null, "flow", "firewall", "windows", "snmp", "syslog"])
    for (const { name } of usualColumns(kind)) expect(isColumn(name)).toBe(true);
  expect(
    columnsOf([
      { name: "nonsense", width: null },
      { name: "src", width: 90 },
    ]).map((c) => [c.name, c.width]),
  ).toEqual([["src", "90px"]]);
  expect(new Set(COLUMN_NAMES).size).toBe(COLUMN_NAMES.length);
});
