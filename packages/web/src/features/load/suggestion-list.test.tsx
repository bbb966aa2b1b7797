import { Suggestions } from "@halvik/contract/load";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { SuggestionList } from "./suggestion-list";

freshPage();

const ONE = {
  rule: "refused-logons",
  name: "Repeated refused logons",
  kind: "hold",
  says: "a hold of 60 s: it must still go on then",
  came: 52,
  without: 41,
  expectedOrFalse: 7,
  text: "id: refused-logons\nholdSeconds: 60\n",
  failing: [],
};
const answer = Suggestions.parse({
  days: 30,
  suggestions: [ONE, { ...ONE, kind: "threshold", says: "10 records instead of 5", failing: ["five"] }],
});

const shown = () => {
  const asked: { method: string; path: string; body: unknown }[] = [];
  globalThis.fetch = async (path, init) => {
    if (init?.method === "POST")
      asked.push({ method: "POST", path: String(path), body: JSON.parse(String(init.body)) });
    return new Response(JSON.stringify(init?.method === "POST" ? {} : answer), {
      headers: { "content-type": "application/json" },
    });
  };
  draw(<SuggestionList />);
  return { asked, user: userEvent.setup() };
};

test("says what would not have come, and of those what people thought of them", async () => {
  shown();
  expect(
    await screen.findAllByText(/41 of 52 would not have come; none of those was closed as fixed, 7 as/),
  ).toHaveLength(2);
});

test("one key makes it the new version; one whose tests would fail is not made", async () => {
  const { asked, user } = shown();
  await screen.findByText(/10 records instead of 5/);
  await user.keyboard("jv");
  expect(asked).toEqual([{ method: "POST", path: "/api/v1/rules", body: { text: ONE.text } }]);
  await user.keyboard("jv");
  expect(asked).toHaveLength(1);
  expect(screen.getByText(/Its test “five” would have to change/)).toBeTruthy();
});
