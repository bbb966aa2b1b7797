import { ListEntries, ListJson, type Lists } from "@halvik/contract/lists";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore, usOf } from "../../data/view-store";
import { answering, refusal } from "../../testing/answering";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Entries } from "./entries";
import { ListForm } from "./list-form";

freshPage();

const LIST = ListJson.parse({
  ...{ id: 7, name: "known scanners", kind: "address", about: "", author: "owner" },
  ...{ changed: "2026-11-28T02:14:07.000000Z", entries: 2, expired: 1, nextExpiry: null, usedBy: [] },
}) as Lists["lists"][number];
const entry = (id: number, value: string, over: object = {}) => ({
  ...{ id, value, note: "", source: "", expires: null, expired: false },
  ...{ author: "owner", added: "2026-11-28T02:14:07.000000Z", ...over },
});
const IN_IT = ListEntries.parse({
  entries: [
    entry(1, "203.0.113.9", { note: "asked to stop", source: "by hand" }),
    entry(2, "198.51.100.0/24", { expires: "2026-11-30T23:00:00.000000Z" }),
    entry(3, "192.0.2.1", { expires: "2026-11-20T23:00:00.000000Z", expired: true }),
  ],
  more: 1_200,
});
const added = (over: object) => ({ added: 0, renewed: 0, refused: 0, reasons: [], ...over });

beforeEach(() => useViewStore.setState({ zone: "Europe/Oslo", nowUs: usOf("2026-11-28T02:15:07.000000Z") }));

const opened = (answers: Record<string, unknown>, kind: "address" | "domain" | "text" = "address") => {
  const asked = answering({ "GET /lists/7/entries": IN_IT, ...answers });
  draw(<Entries list={{ ...LIST, kind }} onEdit={() => undefined} />);
  return { asked, user: userEvent.setup(), sent: () => asked.filter(([what]) => !what.startsWith("GET")) };
};

test("what is in a list: with its note, where it came from, until when; how many more there are", async () => {
  opened({});
  expect((await screen.findByText("203.0.113.9")).parentElement!.textContent).toBe(
    "203.0.113.9 asked to stop, by hand",
  );
  expect(screen.getByText("198.51.100.0/24").parentElement!.textContent).toContain("until 1 Dec 00:00");
  const gone = screen.getByText("192.0.2.1");
  expect(gone.parentElement!.textContent).toContain("ran out 21 Nov 00:00");
  expect(gone.className).toContain("line-through");
  expect(screen.getByText("1,200 more are not shown")).toBeTruthy();
});

test.each([
  ["address", "src"],
  ["domain", "host"],
  ["text", "user"],
] as const)("records with one of them are asked for by the field that a list of %s is about", (kind, field) => {
  opened({}, kind);
  const filter = new URLSearchParams({ filter: `${field} in list "known scanners"` });
  expect(screen.getByRole("link", { name: "Records with one of them" }).getAttribute("href")).toBe(
    `/records?${filter}`,
  );
});

test("one value is added, until a day begins by the reader's clock; the field is empty for the next", async () => {
  const { user, sent } = opened({ "POST /lists/7/entries": added({ added: 1 }) });
  const add = screen.getByRole("button", { name: "Add" }) as HTMLButtonElement;
  expect(add.disabled).toBe(true);
  await user.type(screen.getByLabelText("Value"), "192.0.2.77");
  await user.type(screen.getByLabelText("Note"), "loud");
  await user.type(screen.getByLabelText("Holds until"), "2026-12-05");
  await user.click(add);
  expect(sent()).toEqual([
    ["POST /lists/7/entries", { as: "value", value: "192.0.2.77", note: "loud", expires: "2026-12-04T23:00:00.000Z" }],
  ]);
  expect((await screen.findByRole("status")).textContent).toBe("1 added");
  expect((screen.getByLabelText("Value") as HTMLInputElement).value).toBe("");
});

test("what is refused is said with its reason, and stays to be mended", async () => {
  const { user } = opened({
    "POST /lists/7/entries": added({ refused: 1, reasons: [{ what: "300.1.1.1", why: "expected an address" }] }),
  });
  await user.type(screen.getByLabelText("Value"), "300.1.1.1");
  await user.click(screen.getByRole("button", { name: "Add" }));
  expect((await screen.findByRole("status")).textContent).toContain("1 refused300.1.1.1: expected an address");
  expect((screen.getByLabelText("Value") as HTMLInputElement).value).toBe("300.1.1.1");
});

test.each([
  ["scanners.csv", "value,note\n192.0.2.1,loud", "csv"],
  ["bundle.json", '  {"type":"bundle"}', "stix"],
])("a file is told by what is in it: %s", async (name, content, as) => {
  const { user, sent } = opened({ "POST /lists/7/entries": added({ added: 3, renewed: 2 }) });
  await user.upload(screen.getByLabelText("A file to add"), new File([content], name, { type: "text/csv" }));
  expect((await screen.findByRole("status")).textContent).toBe("3 added, 2 stood in it and were renewed");
  expect(sent()).toEqual([["POST /lists/7/entries", { as, text: content, source: name }]]);
});

test("a server that says no is heard; nothing is thought to be added", async () => {
  const { user } = opened({ "POST /lists/7/entries": refusal("the list is full: 100,000 entries") });
  await user.type(screen.getByLabelText("Value"), "192.0.2.77");
  await user.click(screen.getByRole("button", { name: "Add" }));
  expect((await screen.findByRole("alert")).textContent).toContain("the list is full");
});

test("an entry is taken out by the button that says which", async () => {
  const { user, sent } = opened({ "DELETE /lists/7/entries/2": null });
  await user.click(await screen.findByRole("button", { name: "Without 198.51.100.0/24" }));
  expect(sent()).toEqual([["DELETE /lists/7/entries/2", null]]);
});

describe("what a list is called", () => {
  const form = (list: typeof LIST | null) => {
    const saved: object[] = [];
    draw(
      <ListForm
        list={list}
        busy={false}
        onSave={(b) => saved.push(b)}
        onDelete={() => undefined}
        onCancel={() => undefined}
      />,
    );
    return { saved, user: userEvent.setup() };
  };

  test("a new one says of what it is; a name with quotes could not be named in a filter", async () => {
    const { saved, user } = form(null);
    await user.type(screen.getByLabelText("Name"), 'the "bad" ones');
    await user.click(screen.getByRole("button", { name: "Save" }));
    expect((await screen.findByRole("alert")).textContent).toContain("no quotes");
    await user.clear(screen.getByLabelText("Name"));
    await user.type(screen.getByLabelText("Name"), "left us");
    await user.click(screen.getByRole("combobox", { name: "Of" }));
    await user.click(screen.getByRole("option", { name: /names|text/i }));
    await user.click(screen.getByRole("button", { name: "Save" }));
    expect(saved).toEqual([{ name: "left us", kind: "text", about: "" }]);
  });

  test("one that rules name keeps its name", () => {
    form({ ...LIST, usedBy: [{ what: "rule", id: "scan", name: "A scan" }] });
    expect((screen.getByLabelText("Name") as HTMLInputElement).readOnly).toBe(true);
    expect(screen.queryByRole("combobox", { name: "Of" })).toBeNull();
  });
});
