import { fireEvent, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { MarkedLine } from "./marked-line";

freshPage();

const LINE = "WRN crane 3 at 21 t";

/** The line as its form holds it: what is marked comes back as a template. */
function marked(begin = "") {
  const made: string[] = [];
  const Held = () => {
    const [template, setTemplate] = useState(begin);
    return (
      <MarkedLine
        line={LINE}
        template={template}
        onChange={(t) => {
          made.push(t);
          setTemplate(t);
        }}
      />
    );
  };
  draw(<Held />);
  const field = screen.getByLabelText("A line: select a part and name it") as HTMLInputElement;
  const select = (part: string) => {
    const start = LINE.indexOf(part);
    field.setSelectionRange(start, start + part.length);
    fireEvent.select(field);
  };
  return { made, select, user: userEvent.setup(), last: () => made[made.length - 1] };
}
const values = () => within(screen.getByRole("list", { name: "Values of the line" })).getAllByRole("listitem");

test("parts are selected and named, with the return key or by the button, and become a template", async () => {
  const { select, user, last } = marked();
  select("WRN");
  await user.type(screen.getByLabelText("Name of the part"), "severity{Enter}");
  expect(last()).toBe("{severity} crane 3 at 21 t");
  select("21");
  // braces have a meaning of their own
  await user.type(screen.getByLabelText("Name of the part"), "load{{}}");
  await user.click(screen.getByRole("button", { name: "Mark it" }));
  expect(last()).toBe("{severity} crane 3 at {load} t");
  expect(values()).toHaveLength(2);
});

test("a part may have a type of its own", async () => {
  const { select, user, last } = marked();
  select("21");
  await user.type(screen.getByLabelText("Name of the part"), "load");
  await user.click(screen.getByRole("combobox", { name: "Type of the part" }));
  await user.click(screen.getByRole("option", { name: "number" }));
  await user.click(screen.getByRole("button", { name: "Mark it" }));
  expect(last()).toBe("WRN crane 3 at {load:number} t");
});

test("nothing selected asks for nothing", () => {
  const { select } = marked();
  select("");
  expect(screen.queryByLabelText("Name of the part")).toBeNull();
});

test("a value is renamed where it stands, and taken out", async () => {
  const { user, last } = marked("{severity} crane {unit} at {load} t");
  const unit = screen.getByLabelText("Name of 3");
  await user.clear(unit);
  await user.type(unit, "crane number{Enter}");
  expect(last()).toBe("{severity} crane {crane number} at {load} t");
  await user.click(screen.getByRole("button", { name: "No value: load" }));
  expect(last()).toBe("{severity} crane {crane number} at 21 t");
});

test.each(["{severity} boat {unit}", "{broken"])(
  "a template that does not fit, or is none, shows no values: %s",
  (t) => {
    marked(t);
    expect(screen.queryByRole("list", { name: "Values of the line" })).toBeNull();
  },
);
