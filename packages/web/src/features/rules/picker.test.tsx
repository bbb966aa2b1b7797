import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { parseDocument } from "yaml";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { RuleSentence } from "./rule-sentence";

freshPage();

const RULE = `kind: count
id: refused
name: Refused logons
filter: category is logon and outcome is failure
key: [src]
count: 10
windowSeconds: 300
severity: error
title: "{count} refused logons from {src}"
clear: { by: quiet, seconds: 900 }
`;

/** The sentence as its page has it: what is picked is written into the file, and said from it again. */
const said = (text = RULE) => {
  const written: string[] = [];
  const draft = parseDocument(text);
  const drawn = draw(<RuleSentence document={draft} onChange={(t) => written.push(t)} />);
  const again = () => {
    drawn.unmount();
    return said(written[written.length - 1]!);
  };
  return {
    ...{ written, user: userEvent.setup(), again },
    file: () => parseDocument(written[written.length - 1]!).toJS(),
    words: () =>
      `${screen.getByTestId("rule-sentence").textContent} ${screen.getByTestId("rule-behaviour").textContent}`,
    field: (label: string) => screen.getByLabelText(label) as HTMLInputElement,
  };
};

test("durations stand in words and are typed in words", async () => {
  const { field, user, file } = said();
  expect(field("windowSeconds").value).toBe("5 min");
  await user.clear(field("windowSeconds"));
  await user.type(field("windowSeconds"), "1 h 30 min");
  expect(file()).toMatchObject({ windowSeconds: 5_400, count: 10, severity: "error" });
});

test("what is no duration yet is not taken, and stays to be mended", async () => {
  const { field, user, written } = said();
  await user.clear(field("windowSeconds"));
  const before = written.length;
  await user.type(field("windowSeconds"), "soon");
  expect(written).toHaveLength(before);
  expect(field("windowSeconds").getAttribute("aria-invalid")).toBe("true");
  await user.tab();
  expect(field("windowSeconds").value).toBe("soon");
});

test("a number is a number", async () => {
  const { field, user, file } = said();
  await user.clear(field("count"));
  await user.type(field("count"), "25");
  expect(file().count).toBe(25);
});

test("fields of the key are picked from all there are, and taken out one by one", async () => {
  const first = said();
  await first.user.click(screen.getByRole("combobox", { name: "key: add a field" }));
  await first.user.click(screen.getByRole("option", { name: /^user/ }));
  expect(first.file().key).toEqual(["src", "user"]);
  const second = first.again();
  await second.user.click(screen.getByRole("button", { name: "key: without src" }));
  expect(second.file().key).toEqual(["user"]);
});

test("a severity is picked by its word", async () => {
  const { user, file } = said();
  await user.click(screen.getByRole("combobox", { name: "severity" }));
  await user.click(screen.getByRole("option", { name: "critical" }));
  expect(file().severity).toBe("critical");
});

test("what is not touched stays as it was written, remarks too", async () => {
  const { field, user, written } = said(`# mine\n${RULE}`);
  await user.clear(field("count"));
  await user.type(field("count"), "12");
  expect(written[written.length - 1]).toContain("# mine");
  expect(written[written.length - 1]).toContain('title: "{count} refused logons from {src}"');
});

test.each(["kind: count\n", "nonsense"])("a file that is not a rule yet is said as far as it goes: %j", (text) => {
  expect(said(text).words()).not.toBe("");
});
