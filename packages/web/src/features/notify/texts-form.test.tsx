import { NotifyWays } from "@halvik/contract/notify";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { TextsForm } from "./texts-form";

freshPage();

const TEXT = { subject: "Nytt: {title}", body: "{title}\n{link}" };
const KEPT = NotifyWays.parse({
  channels: [],
  rotas: [],
  programs: [],
  engineId: "",
  texts: [
    {
      id: 1,
      name: "norsk",
      language: "nb-NO",
      texts: { raise: TEXT },
      author: "o",
      changed: "2026-11-28T02:14:07.000000Z",
    },
  ],
}).texts[0]!;

const form = (texts: typeof KEPT | null) => {
  const saved: object[] = [];
  const nothing = () => undefined;
  draw(<TextsForm texts={texts} busy={false} onSave={(b) => saved.push(b)} onDelete={nothing} onCancel={nothing} />);
  return { saved, user: userEvent.setup(), save: () => screen.getByRole("button", { name: "Save" }) };
};

test("opened and saved, texts are the same", async () => {
  const { saved, user, save } = form(KEPT);
  await user.click(save());
  const { id: _id, author: _author, changed: _changed, ...same } = KEPT;
  expect(saved).toEqual([same]);
});

test("a variable that there is not is said at once, with what was meant, and refused", async () => {
  const { saved, user, save } = form(null);
  await user.type(screen.getByLabelText("Name"), "mine");
  expect((screen.getByLabelText("Text") as HTMLTextAreaElement).readOnly).toBe(true);
  await user.click(screen.getByRole("checkbox", { name: "a text of one's own" }));
  await user.clear(screen.getByLabelText("Text"));
  await user.type(screen.getByLabelText("Text"), "{{titel}");
  expect(screen.getByRole("alert").textContent).toBe("there is no variable {titel}; did you mean {title}?");
  await user.click(save());
  expect(saved).toEqual([]);
});

test("what is not one's own is not sent: it stays as it ships", async () => {
  const { saved, user, save } = form(null);
  await user.type(screen.getByLabelText("Name"), "mine");
  await user.click(screen.getByRole("combobox", { name: "When" }));
  await user.click(screen.getByRole("option", { name: "one is over" }));
  await user.click(screen.getByRole("checkbox", { name: "a text of one's own" }));
  await user.clear(screen.getByLabelText("Subject"));
  await user.type(screen.getByLabelText("Subject"), "Over");
  await user.click(save());
  expect(saved).toMatchObject([{ name: "mine", language: "en", texts: { raise: null, clear: { subject: "Over" } } }]);
});
