import { fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { FilterForm } from "./filter-form";

freshPage();

function Held({ first, texts }: { first: string; texts: string[] }) {
  const [text, setText] = useState(first);
  return (
    <>
      <input aria-label="editor" value={text} onChange={(e) => setText(e.target.value)} />
      <FilterForm
        text={text}
        context={{ zone: "UTC" }}
        valuesOf={async () => [{ label: "cron", about: "3 of late" }]}
        onChange={(t) => {
          texts.push(t);
          setText(t);
        }}
        onApply={() => texts.push("applied")}
        onClose={() => texts.push("closed")}
      />
    </>
  );
}

const form = (first: string) => {
  const texts: string[] = [];
  draw(<Held first={first} texts={texts} />);
  return { texts, user: userEvent.setup() };
};
const last = (texts: readonly string[]) => texts[texts.length - 1];

test("a filter is shown as lines; what the lines say is the filter", async () => {
  const { texts, user } = form("severity at least error and app is cron");
  expect(screen.getByRole("combobox", { name: "Field of line 1" }).textContent).toBe("severity");
  expect(screen.getByRole("combobox", { name: "Comparison of line 2" }).textContent).toBe("is");
  await user.click(screen.getByRole("combobox", { name: "How the lines are joined" }));
  await user.click(screen.getByRole("option", { name: "at least one of these holds" }));
  expect(last(texts)).toBe("severity at least error or app is cron");
  await user.click(screen.getByRole("button", { name: "Remove line 1" }));
  expect(last(texts)).toBe("app is cron");
});

test("another field keeps its comparison where it has it, and asks for a value of its own", async () => {
  const { texts, user } = form("app is cron");
  await user.click(screen.getByRole("combobox", { name: "Field of line 1" }));
  await user.click(screen.getByRole("option", { name: "host" }));
  expect(screen.getByRole("combobox", { name: "Comparison of line 1" }).textContent).toBe("is");
  expect(screen.getByText("needs a value")).toBeTruthy();
  await user.type(screen.getByLabelText("Value of line 1"), "vpn 1");
  expect(last(texts)).toBe('host is "vpn 1"');
});

test("what is typed in the editor meanwhile is taken over; what is no filter yet leaves the lines", () => {
  form("app is cron");
  fireEvent.change(screen.getByLabelText("editor"), { target: { value: "app is" } });
  expect(screen.getByText("The text in the editor is not a complete filter yet.")).toBeTruthy();
  expect((screen.getByLabelText("Value of line 1") as HTMLInputElement).value).toBe("cron");
  fireEvent.change(screen.getByLabelText("editor"), { target: { value: "app is kernel and host is a" } });
  expect((screen.getByLabelText("Value of line 1") as HTMLInputElement).value).toBe("kernel");
  expect(screen.getByLabelText("Value of line 2")).toBeTruthy();
});

test("enter applies, and a line of words is words", async () => {
  const { texts, user } = form("");
  expect(screen.getByText("No line yet: every record.")).toBeTruthy();
  await user.click(screen.getByRole("button", { name: "Add words" }));
  await user.type(screen.getByLabelText("Line 1"), "refused{Enter}");
  expect(texts.slice(-2)).toEqual(["refused", "applied"]);
});
