import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { draw } from "../testing/draw";
import { freshPage } from "../testing/fresh-page";
import { Field } from "./field";
import { Select } from "./select";

freshPage();

/** The pattern is that of the listbox with a button (WAI-ARIA 1.2, "select-only combobox"). */
const OPTIONS = ["cron", "kernel", { value: "", label: "any", about: "no value at all" }] as const;

function Held({ first, onChange }: { first: string; onChange: (value: string) => void }) {
  const [value, setValue] = useState(first);
  const change = (v: string) => {
    setValue(v);
    onChange(v);
  };
  return <Field label="App">{(id) => <Select id={id} value={value} onChange={change} options={OPTIONS} />}</Field>;
}

const held = (first: string) => {
  const values: string[] = [];
  draw(<Held first={first} onChange={(v) => values.push(v)} />);
  return { values, control: screen.getByRole("combobox", { name: "App" }), user: userEvent.setup() };
};

test("its label names it, and it shows what is chosen", () => {
  const { control } = held("kernel");
  expect(control.textContent).toBe("kernel");
  expect(control.getAttribute("aria-expanded")).toBe("false");
});

test("by keyboard alone: open, go down, choose; the focus comes back", async () => {
  const { control, user, values } = held("cron");
  await user.tab();
  expect(document.activeElement).toBe(control);
  await user.keyboard("{Enter}");
  expect(screen.getAllByRole("option").map((o) => o.textContent)).toEqual(["cron", "kernel", "anyno value at all"]);
  await user.keyboard("{ArrowDown}{Enter}");
  expect(values).toEqual(["kernel"]);
  expect(screen.queryByRole("option")).toBeNull();
  expect(document.activeElement).toBe(control);
});

test("the empty text is a value like any other", async () => {
  const { control, user, values } = held("kernel");
  control.focus();
  await user.keyboard("{Enter}");
  await user.keyboard("an");
  await user.keyboard("{Enter}");
  expect(values).toEqual([""]);
  expect(control.textContent).toBe("any");
});

test("escape leaves it as it was", async () => {
  const { control, user, values } = held("kernel");
  control.focus();
  await user.keyboard("{Enter}{ArrowUp}{Escape}");
  expect(values).toEqual([]);
  expect(control.textContent).toBe("kernel");
});

test("a value that is none of the options is still shown", () => {
  const { control } = held("telnetd");
  expect(control.textContent).toBe("telnetd");
});
