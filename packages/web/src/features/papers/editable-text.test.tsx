import { fireEvent, screen } from "@testing-library/react";
import { useState } from "react";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { EditableText } from "./editable-text";

freshPage();

const saved: [string, number][] = [];
/** What is kept, and a hand that changes it from elsewhere. */
function Held({ refuses = false }: { refuses?: boolean }) {
  const [kept, setKept] = useState({ text: "first", version: 1, by: "anna" });
  return (
    <>
      <EditableText
        label="Note"
        text={kept.text}
        version={kept.version}
        changedBy={kept.by}
        mayWrite
        most={100}
        placeholder="nothing"
        onSave={async (text, version) => {
          if (refuses) throw new Error("it is closed");
          saved.push([text, version]);
          setKept({ text, version: version + 1, by: "me" });
        }}
      >
        <p>{kept.text}</p>
      </EditableText>
      <button type="button" onClick={() => setKept({ text: "theirs", version: kept.version + 1, by: "berit" })}>
        elsewhere
      </button>
      <button type="button" onClick={() => setKept({ ...kept, version: kept.version + 1 })}>
        something else of it
      </button>
    </>
  );
}
const click = (name: string) => fireEvent.click(screen.getByRole("button", { name }));
const write = (text: string) => fireEvent.change(screen.getByLabelText("Note"), { target: { value: text } });
beforeEach(() => {
  saved.length = 0;
});

test("what is written is saved with the version that was seen", async () => {
  draw(<Held />);
  click("Write: Note");
  write("second");
  click("Save");
  await screen.findByText("second");
  expect(saved).toEqual([["second", 1]]);
});

test("what was changed meanwhile is shown beside; it is left, or both are put together", async () => {
  draw(<Held />);
  click("Write: Note");
  write("mine");
  click("elsewhere");
  expect(screen.getByRole("alert").textContent).toContain("berit has changed this meanwhile");
  expect(screen.getByRole("alert").textContent).toContain("theirs");
  expect((screen.getByLabelText("Note") as HTMLTextAreaElement).value).toBe("mine");
  expect(saved).toEqual([]);
  click("both together");
  click("Save");
  await screen.findByRole("button", { name: "Write: Note" });
  expect(saved).toEqual([["theirs\n\nmine", 2]]);
});

test("something else of the same thing that changed is nothing to ask about", async () => {
  draw(<Held />);
  click("Write: Note");
  write("mine");
  click("something else of it");
  expect(screen.queryByRole("alert")).toBeNull();
  click("Save");
  await screen.findByText("mine");
  expect(saved).toEqual([["mine", 2]]);
});

test("what cannot be saved is said, and is not lost", async () => {
  draw(<Held refuses />);
  click("Write: Note");
  write("mine");
  fireEvent.keyDown(screen.getByLabelText("Note"), { key: "Enter", ctrlKey: true });
  expect((await screen.findByRole("alert")).textContent).toBe("it is closed");
  expect((screen.getByLabelText("Note") as HTMLTextAreaElement).value).toBe("mine");
});
