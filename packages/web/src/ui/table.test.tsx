import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../testing/draw";
import { freshPage } from "../testing/fresh-page";
import { type ColumnDef, Table } from "./table";

freshPage();

interface Boat {
  readonly name: string;
  readonly crew: number | undefined;
}
const BOATS: readonly Boat[] = [
  { name: "Skarven", crew: 7 },
  { name: "Lomvi", crew: 12 },
  { name: "Teist", crew: undefined },
];
const COLUMNS: ColumnDef<Boat>[] = [
  { id: "name", header: "name", accessorFn: (b) => b.name, size: 120 },
  { id: "crew", header: "crew", accessorFn: (b) => b.crew, sortUndefined: "last", size: 80, meta: { align: "right" } },
];

const table = (onOpen?: (b: Boat) => void) => {
  draw(
    <Table
      label="Boats"
      rows={BOATS}
      columns={COLUMNS}
      rowId={(b) => b.name}
      pinned={["name"]}
      chosen="Lomvi"
      {...(onOpen ? { onOpen } : {})}
    />,
  );
  return userEvent.setup();
};
const names = () =>
  screen
    .getAllByRole("row")
    .slice(1)
    .map((r) => within(r).getAllByRole("cell")[0]!.textContent);

test("a heading sorts: up or down, the other way, then as it came; what has no value comes last", async () => {
  const user = table();
  expect(names()).toEqual(["Skarven", "Lomvi", "Teist"]);
  const crew = screen.getByRole("columnheader", { name: /crew/ });
  await user.click(screen.getByRole("button", { name: /crew/ }));
  expect([names(), crew.getAttribute("aria-sort")]).toEqual([["Lomvi", "Skarven", "Teist"], "descending"]);
  await user.click(screen.getByRole("button", { name: /crew/ }));
  expect([names(), crew.getAttribute("aria-sort")]).toEqual([["Skarven", "Lomvi", "Teist"], "ascending"]);
  await user.click(screen.getByRole("button", { name: /crew/ }));
  expect([names(), crew.getAttribute("aria-sort")]).toEqual([["Skarven", "Lomvi", "Teist"], "none"]);
});

test("a sum stands under its column, and is of all rows however they are sorted", async () => {
  draw(
    <Table
      label="Boats"
      rows={BOATS}
      columns={COLUMNS.map((c) =>
        c.id === "crew"
          ? { ...c, meta: { foot: (boats: readonly Boat[]) => String(boats.reduce((n, b) => n + (b.crew ?? 0), 0)) } }
          : c,
      )}
      rowId={(b) => b.name}
    />,
  );
  const rows = screen.getAllByRole("row");
  expect(rows[rows.length - 1]!.textContent).toBe("in all19");
});

test("rows are one stop for the tab key; arrows, home and end go through them; enter opens", async () => {
  const opened: string[] = [];
  const user = table((b) => opened.push(b.name));
  const rows = screen.getAllByRole("row").slice(1);
  expect(rows.map((r) => r.tabIndex)).toEqual([0, -1, -1]);
  rows[0]!.focus();
  await user.keyboard("{ArrowDown}{Enter}");
  expect(document.activeElement).toBe(rows[1]);
  await user.keyboard("{End}{Enter}{Home}");
  expect(document.activeElement).toBe(rows[0]);
  await user.keyboard("{ArrowUp}{Enter}");
  expect(opened).toEqual(["Lomvi", "Teist", "Skarven"]);
});

test("the chosen row says so", () => {
  table();
  expect(screen.getAllByRole("row").map((r) => r.getAttribute("aria-selected"))).toEqual([
    null,
    "false",
    "true",
    "false",
  ]);
});

test("the edge of a column changes its width by the arrow keys, and not below what can be grasped", async () => {
  const user = table();
  const edge = screen.getByRole("separator", { name: "Width of crew" });
  edge.focus();
  await user.keyboard("{ArrowRight}");
  expect(edge.getAttribute("aria-valuenow")).toBe("96");
  await user.keyboard("{ArrowLeft}{ArrowLeft}{ArrowLeft}{ArrowLeft}{ArrowLeft}{ArrowLeft}");
  expect(edge.getAttribute("aria-valuenow")).toBe("40");
});

test("a pinned column stays in sight", () => {
  table();
  const [name, crew] = screen.getAllByRole("columnheader");
  expect([name!.style.position, crew!.style.position]).toEqual(["sticky", ""]);
});
