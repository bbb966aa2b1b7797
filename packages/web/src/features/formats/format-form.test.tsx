import type { FormatPreview } from "@halvik/contract/formats";
import { OwnFormat } from "@halvik/core/formats";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { answering } from "../../testing/answering";
import { recordJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { FormatForm } from "./format-form";
import { Preview } from "./preview";

freshPage();

const TEMPLATE = "{severity} crane {unit}";
const PREVIEW: FormatPreview = {
  lines: [
    {
      text: "WRN crane 3",
      values: [
        { name: "severity", value: "WRN", isField: true },
        { name: "unit", value: "3", isField: false },
      ],
      kind: "syslog",
      severity: 4,
    },
    { text: "WRN boat 3", place: 4, expected: "“crane ”" },
  ],
  spans: [
    { says: "the last hour", of: 1_200, fits: 41, near: 3, exact: true },
    { says: "the last 30 days", of: 50_000, fits: 900, near: 0, exact: false },
  ],
  fits: [],
  near: [],
} as unknown as FormatPreview;

const form = (format: OwnFormat | null, lines: readonly string[] = []) => {
  const saved: OwnFormat[] = [];
  let cancelled = 0;
  draw(
    <FormatForm
      format={format}
      begin={format === null ? { lines, filter: "app is cranes" } : undefined}
      onSave={async (f) => saved.push(f)}
      onCancel={() => cancelled++}
    />,
  );
  return { saved, cancelled: () => cancelled, user: userEvent.setup() };
};

test("from lines to a format: a form is proposed, named and saved, with those lines that fit as its test lines", async () => {
  const asked = answering({
    "POST /formats/propose": { proposals: [{ form: { is: "line", template: TEMPLATE }, names: {}, fits: 2 }] },
  });
  const { saved, user } = form(null, ["WRN crane 3", "ERR crane 9", "the tide turned"]);
  await user.click(screen.getByRole("button", { name: "Propose a form" }));
  expect(asked).toEqual([["POST /formats/propose", { lines: ["WRN crane 3", "ERR crane 9", "the tide turned"] }]]);
  await user.type(screen.getByLabelText("Name"), "cranes");
  await user.click(screen.getByRole("button", { name: "Save" }));
  expect(saved).toMatchObject([
    {
      name: "cranes",
      filter: "app is cranes",
      form: { is: "line", template: TEMPLATE },
      examples: ["WRN crane 3", "ERR crane 9"],
    },
  ]);
});

test("the latest lines that match are taken from what is stored, each once, and a form proposed for them", async () => {
  const asked = answering({
    "GET /records": {
      records: ["WRN crane 3", "WRN crane 3", "ERR crane 9\nmore"].map((text, i) =>
        recordJson({ id: String(i), text }),
      ),
      nextCursor: null,
    },
    "POST /formats/propose": { proposals: [] },
  });
  const { user } = form(null);
  await user.click(screen.getByRole("button", { name: /^Take the latest/ }));
  const lines = screen.getByLabelText(/^Lines to read/) as HTMLTextAreaElement;
  expect(lines.value).toBe("WRN crane 3\nERR crane 9");
  expect(asked.map(([what]) => what)).toEqual(["GET /records", "POST /formats/propose"]);
});

test("where nothing matches that is said, and what was typed stays", async () => {
  answering({ "GET /records": { records: [], nextCursor: null } });
  const { user } = form(null, ["mine"]);
  await user.click(screen.getByRole("button", { name: /^Take the latest/ }));
  expect(screen.getByRole("alert").textContent).toBe("No records match: nothing to take.");
  expect((screen.getByLabelText(/^Lines to read/) as HTMLTextAreaElement).value).toBe("mine");
});

test("what is not a format yet is not saved, and why is said", async () => {
  const { saved, user } = form(null, ["WRN crane 3"]);
  await user.click(screen.getByRole("button", { name: "Save" }));
  expect(screen.getByRole("alert").textContent).not.toBe("");
  expect(saved).toEqual([]);
});

test("another form begins empty, unless one was proposed", async () => {
  const { saved, user } = form(
    OwnFormat.parse({ name: "cranes", filter: "", form: { is: "line", template: TEMPLATE }, examples: [] }),
  );
  await user.click(screen.getByRole("radio", { name: "JSON" }));
  await user.click(screen.getByRole("button", { name: "Save" }));
  expect(saved).toMatchObject([{ name: "cranes", form: { is: "json" } }]);
});

test("a preview says what fits of the lines and of what is stored, and where a line leaves the form", () => {
  draw(<Preview preview={PREVIEW} zone="UTC" />);
  const { textContent } = screen.getByRole("status");
  expect(textContent).toContain("Of these lines 1 of 2 fit.");
  expect(textContent).toContain("Of 1,200 records of the last hour it is tried on, 41 fit, 3 nearly.");
  expect(textContent).toContain("Of the latest 50,000 records of the last 30 days it is tried on, 900 fit.");
  expect(screen.getByText("boat 3").tagName).toBe("MARK");
  expect(textContent).toContain("here expected “crane ”");
});
