import type { ArrivalPreview } from "@halvik/contract/arrival";
import type { ForwardList } from "@halvik/contract/forwarding";
import { ArrivalRule } from "@halvik/core/arrive";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { answering, refusal } from "../../testing/answering";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { ArrivalForm } from "./arrival-form";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

const NO_FORWARDS: ForwardList = { forwards: [] };
const form = (rule: ArrivalRule | null, refuse?: string) => {
  const saved: ArrivalRule[] = [];
  draw(
    <ArrivalForm
      rule={rule}
      days={[1, 7, 30]}
      onSave={async (r) => {
        if (refuse !== undefined) throw new Error(refuse);
        saved.push(r);
      }}
      onCancel={() => undefined}
    />,
    { answers: [[["forwards"], NO_FORWARDS]] },
  );
  const user = userEvent.setup();
  return {
    ...{ saved, user },
    choose: async (label: string, option: string) => {
      await user.click(screen.getByRole("combobox", { name: label }));
      await user.click(screen.getByRole("option", { name: option }));
    },
    save: () => user.click(screen.getByRole("button", { name: "Save" })),
  };
};
const rule = (over: object) => ArrivalRule.parse({ name: "one", filter: "app is cron", does: "keep", ...over });

test.each([
  [{ does: "drop" }],
  [{ does: "keep", keepDays: 7 }],
  [{ does: "mark", severity: { to: 3 }, category: "service", tag: "night", site: "Hestnes", expected: true }],
  [{ does: "mark", severity: { by: -1 } }],
])("opened and saved, a rule is the same: %j", async (over) => {
  const { saved, save } = form(rule(over));
  await save();
  expect(saved).toEqual([rule(over)]);
});

test("what is dropped is asked for nothing else, and what was said of it before goes along with it", async () => {
  const { saved, save, choose } = form(rule({ does: "keep", keepDays: 7, tag: "night" }));
  await choose("Then", "drop it");
  expect(screen.queryByLabelText("Tag")).toBeNull();
  await save();
  expect(saved).toEqual([rule({ does: "drop" })]);
});

test("days may be those of the classes, severity a step or a word", async () => {
  const { saved, save, choose } = form(rule({}));
  await choose("Kept for", "1 day");
  await choose("Severity", "one step less severe");
  await save();
  expect(saved).toMatchObject([{ keepDays: 1, severity: { by: 1 } }]);
});

test("without a name or a filter nothing is saved", async () => {
  const { saved, save, user } = form(null);
  await save();
  expect(screen.getByText("A name is needed.")).toBeTruthy();
  await user.type(screen.getByLabelText("Name"), "x");
  await save();
  expect((await screen.findByRole("alert")).textContent).not.toBe("");
  expect(saved).toEqual([]);
});

test("what the server says no to is said in the form", async () => {
  const { save } = form(rule({}), "eight classes of days are there already");
  await save();
  expect((await screen.findByRole("alert")).textContent).toBe("eight classes of days are there already");
});

describe("what it would have met", () => {
  const PREVIEW: ArrivalPreview = {
    ...{ says: "is dropped, and counted", met: 41_204, of: 1_200_000, exact: true, senders: 14, bytesADay: 5_100_000 },
    rules: [{ id: "refused-logons", name: "Refused logons" }],
    allRules: true,
    examples: [{ at: "2026-11-28T02:14:07.123000Z", sender: "mail-1", says: "sold \u202e2" }],
  };
  const previewed = async (answer: unknown) => {
    const asked = answering({ "POST /arrival-rules/preview": answer });
    const { user } = form(rule({ does: "drop" }));
    await user.click(screen.getByRole("button", { name: "What would it have met?" }));
    return asked;
  };

  test("how many, from whom, what it saves, which rules would miss them, which records", async () => {
    const asked = await previewed(PREVIEW);
    const { textContent } = await screen.findByRole("status");
    expect(textContent).toContain(
      "In the last 24 hours it would have met 41,204 of 1,200,000 records from 14 senders, 5.1 MB of the store a day. Each is dropped, and counted.",
    );
    expect(textContent).toContain("02:14:07.123mail-1sold ⟨202E⟩2");
    expect(screen.getByRole("link", { name: "Refused logons" }).getAttribute("href")).toBe("/rules/refused-logons");
    expect(asked).toEqual([["POST /arrival-rules/preview", rule({ does: "drop" })]]);
  });

  test("nothing is a question; a part of the day is a bound", async () => {
    await previewed({ ...PREVIEW, met: 0, exact: false, senders: 1, rules: [], examples: [] });
    const { textContent } = await screen.findByRole("status");
    expect(textContent).toContain("at least 0 of 1,200,000 records from 1 sender.");
    expect(textContent).toContain("Nothing: is the filter what you mean?");
  });

  test("a filter that the server cannot read is said", async () => {
    await previewed(refusal('column 1: there is no field "ap"'));
    expect((await screen.findByRole("alert")).textContent).toBe('column 1: there is no field "ap"');
  });
});
