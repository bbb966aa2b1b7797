import type { Form } from "@halvik/core/decode/lines";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { type Draft, NEW_DRAFT, readWords } from "./draft";
import { FormParts } from "./form-parts";

freshPage();

/** As the form has it: what is changed is shown. */
function parts(form: Form, lines: readonly string[], over: Partial<Draft> = {}) {
  const now = { draft: { ...NEW_DRAFT, form, ...over } as Draft };
  function Whole() {
    const [draft, setDraft] = useState(now.draft);
    return (
      <FormParts
        draft={draft}
        lines={lines}
        onChange={(change) =>
          setDraft((before) => {
            now.draft = { ...before, ...change };
            return now.draft;
          })
        }
      />
    );
  }
  draw(<Whole />);
  return { now, user: userEvent.setup() };
}
const field = (name: string) => screen.getByLabelText(name) as HTMLInputElement;

test("a line: its template is what is typed, braces too", async () => {
  const { now, user } = parts({ is: "line", template: "" }, ["WRN crane 3\n"]);
  await user.type(field("The line with its values"), "{{severity} crane {{unit:number}");
  expect(now.draft.form).toEqual({ is: "line", template: "{severity} crane {unit:number}" });
});

describe("values that bring their names", () => {
  const PAIRS = { is: "pairs", between: ",", equals: "=" } as const;

  test("are those of all lines, each with what it was first; what each is, is said once", async () => {
    const { now, user } = parts(PAIRS, ["src=10.0.0.1,user=k.lind", "src=10.0.0.2,load=40"]);
    expect(screen.getAllByRole("combobox").length).toBeGreaterThan(0);
    expect([field("What src is").value, field("What user is").value, field("What load is").value]).toEqual([
      "src",
      "user",
      "load",
    ]);
    expect(screen.getByText("10.0.0.1")).toBeTruthy();
    expect(screen.queryByText("10.0.0.2")).toBeNull();
    await user.clear(field("What load is"));
    await user.type(field("What load is"), "crane load");
    expect(now.draft.names).toEqual({ load: "crane load" });
    // as it was again is nothing to keep
    await user.clear(field("What load is"));
    await user.type(field("What load is"), "load");
    expect(now.draft.names).toEqual({});
  });

  test("one that is left out has no name; one of lines that are not here stays", async () => {
    const { now, user } = parts(PAIRS, ["src=10.0.0.1"], { names: { other: "host" } });
    expect(field("What other is").value).toBe("host");
    await user.clear(field("What src is"));
    expect(now.draft.names).toEqual({ other: "host", src: "" });
  });

  test("what stands between them is chosen", async () => {
    const { now, user } = parts(PAIRS, ["a:1;b:2"]);
    expect(screen.getByText("No values are found in the lines.")).toBeTruthy();
    await user.click(screen.getByLabelText("Between pairs"));
    await user.click(screen.getByRole("option", { name: "semicolon" }));
    await user.click(screen.getByLabelText("Between name and value"));
    await user.click(screen.getByRole("option", { name: ":" }));
    expect(now.draft.form).toEqual({ is: "pairs", between: ";", equals: ":" });
    expect([field("What a is").value, field("What b is").value]).toEqual(["a", "b"]);
  });

  test("of JSON by their paths; what looks like a page is text", () => {
    parts({ is: "json" }, ['{"a":{"b":"<i>1</i>\\u202e"}}']);
    expect(screen.getByText("<i>1</i>⟨202E⟩")).toBeTruthy();
    expect(document.querySelector("i")).toBeNull();
  });
});

describe("columns", () => {
  const COLUMNS = { is: "columns", by: ",", names: ["", "src", ""] } as const;

  test("each says what stands in it, is named, and passes over what is not", async () => {
    const { now, user } = parts(COLUMNS as unknown as Form, ["7,10.0.0.1,deny,tcp"]);
    expect(["7", "10.0.0.1", "deny"].map((t) => screen.getByText(t).textContent)).toEqual(["7", "10.0.0.1", "deny"]);
    await user.type(field("Column 3"), "action");
    expect(now.draft.form).toMatchObject({ names: ["", "src", "action"] });
  });

  test("there is one more, and one less, but never none", async () => {
    const { now, user } = parts({ ...COLUMNS, names: ["a"] } as unknown as Form, []);
    const less = screen.getByRole("button", { name: "one less" }) as HTMLButtonElement;
    expect(less.disabled).toBe(true);
    await user.click(screen.getByRole("button", { name: "one more column" }));
    expect(now.draft.form).toMatchObject({ names: ["a", ""] });
    await user.click(less);
    expect(now.draft.form).toMatchObject({ names: ["a"] });
  });
});

describe("positions", () => {
  test("a part begins where the one before ends, says what stands there, and its end may be open", async () => {
    const { now, user } = parts({ is: "positions", columns: [{ from: 0, to: 3, name: "severity" }] }, ["WRN crane 3"]);
    expect(screen.getByText("WRN")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "one more part" }));
    expect(field("Part 2 from").value).toBe("3");
    await user.type(field("Part 2"), "unit");
    await user.type(field("Part 2 to"), "9x");
    expect(now.draft.form).toMatchObject({ columns: [{}, { from: 3, to: 9, name: "unit" }] });
    await user.clear(field("Part 2 to"));
    expect(now.draft.form).toMatchObject({ columns: [{}, { from: 3, to: undefined }] });
    await user.click(screen.getByRole("button", { name: "one less" }));
    expect(now.draft.form).toMatchObject({ columns: [{ name: "severity" }] });
    expect((screen.getByRole("button", { name: "one less" }) as HTMLButtonElement).disabled).toBe(true);
  });
});

test.each([
  ["severity: WRN = warning\n\n action:drop=deny ", { severity: { WRN: "warning" }, action: { drop: "deny" } }],
  ["severity: a b = error", { severity: { "a b": "error" } }],
  ["", {}],
])("words of %j", (text, words) => expect(readWords(text)).toEqual({ words }));

test.each(["severity = error", "colour: red = error", "severity: WRN ="])("%j are no words", (text) =>
  expect(readWords(text)).toEqual({ wrong: text }),
);
