import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore, usOf } from "../../data/view-store";
import { answering, refusal } from "../../testing/answering";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { PasteValues } from "./paste-values";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC", nowUs: usOf("2026-11-28T02:15:07.000000Z") }));

const pasting = async (text: string, field?: string) => {
  const parts: string[] = [];
  draw(<PasteValues onAdd={(part) => parts.push(part)} />);
  const user = userEvent.setup();
  await user.click(screen.getByRole("button", { name: "paste values" }));
  if (field !== undefined) {
    await user.click(screen.getByRole("combobox", { name: "Of which field" }));
    await user.click(screen.getByRole("option", { name: field }));
  }
  await user.click(screen.getByLabelText("Values"));
  await user.paste(text);
  return { parts, user, look: () => user.click(screen.getByRole("button", { name: "Look for them" })) };
};
const said = () => screen.getByRole("status").textContent;
const many = (count: number) => Array.from({ length: count }, (_, i) => `10.${i >> 8}.${i & 255}.1`).join("\n");

test("addresses out of whatever was copied stand in the filter; what is none is said", async () => {
  const { parts, look } = await pasting("from 203.0.113.9, to 10.20.1.7:443\n203.0.113.9 again");
  expect(said()).toContain("2 addresses, 1 more than once");
  await look();
  expect(parts).toEqual(["address in 203.0.113.9, 10.20.1.7"]);
});

test("values of another field are lines, quoted where they must be", async () => {
  const { parts, look } = await pasting("k.lind\nthe night shift\nk.lind\n", "user");
  expect(said()).toContain("2 values, 1 more than once");
  await look();
  expect(parts).toEqual(['user in k.lind, "the night shift"']);
});

test("nothing that can be looked for is not looked for", async () => {
  const { parts, look } = await pasting("no address here");
  await look();
  expect(parts).toEqual([]);
  expect((screen.getByRole("button", { name: "Look for them" }) as HTMLButtonElement).disabled).toBe(true);
});

test("many become a list that runs out by itself, and the filter names it", async () => {
  const asked = answering({
    "POST /lists": { id: 7, name: "pasted 28 Nov 02:15" },
    "POST /lists/7/entries": { added: 400, renewed: 0, refused: 0, reasons: [] },
  });
  const { parts, look } = await pasting(many(400));
  await look();
  await screen.findByRole("button", { name: "paste values" });
  expect(asked.map(([what]) => what)).toEqual(["POST /lists", "POST /lists/7/entries"]);
  expect(asked[0]![1]).toEqual({ name: "pasted 28 Nov 02:15", kind: "address" });
  const { text, ...rest } = asked[1]![1] as { text: string };
  expect(rest).toEqual({ as: "csv", source: "pasted" });
  expect(text.split("\n")[0]).toBe("value,expires");
  expect(text.split("\n")[1]).toBe('"10.0.0.1",2026-12-28T02:15:07.000Z');
  expect(text.split("\n")).toHaveLength(401);
  expect(parts).toEqual(['address in list "pasted 28 Nov 02:15"']);
});

test("a list that was made and could not be filled is filled at the next try, and not made twice", async () => {
  answering({
    "POST /lists": { id: 7, name: "pasted 28 Nov 02:15" },
    "POST /lists/7/entries": refusal("the database is away"),
  });
  const { parts, look } = await pasting(many(400));
  await look();
  expect((await screen.findByRole("alert")).textContent).toBe("the database is away");
  expect(parts).toEqual([]);
  const asked = answering({ "POST /lists/7/entries": { added: 400, renewed: 0, refused: 0, reasons: [] } });
  await look();
  expect(asked.map(([what]) => what)).toEqual(["POST /lists/7/entries"]);
  expect(parts).toHaveLength(1);
});

test("a name with a quote could not be named in a filter: it is not taken", async () => {
  const { user } = await pasting(many(400));
  const name = screen.getByLabelText("They become a list") as HTMLInputElement;
  await user.clear(name);
  await user.type(name, 'bad "ones"');
  expect(name.value).toBe("bad ones");
});
