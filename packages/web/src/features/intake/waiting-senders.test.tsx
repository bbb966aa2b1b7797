import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore, usOf } from "../../data/view-store";
import { senderJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { WaitingSenders } from "./waiting-senders";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC", nowUs: usOf("2026-11-28T02:24:07.000000Z") }));

const waiting = (id: number, address: string, over: object = {}) =>
  senderJson({ id, name: address, addresses: [address], state: "waiting", held: 1, heldRefused: 0, ...over });
const shown = (senders: ReturnType<typeof senderJson>[], unlisted = 0) => {
  const acts: unknown[] = [];
  draw(
    <WaitingSenders
      senders={senders}
      unlisted={unlisted}
      sites={["Orvane"]}
      rules={[]}
      onAdmit={(s, facts) => acts.push(["admit", s.id, facts])}
      onRefuse={(s) => acts.push(["refuse", s.id])}
      onAdmitNetwork={async (network, fromNowOn) => acts.push(["admit block", network, fromNowOn])}
      onRefuseNetwork={(network) => acts.push(["refuse block", network])}
      onTakeBack={() => undefined}
    />,
  );
  return { acts, user: userEvent.setup() };
};
const line = (text: string) => within(screen.getByText(text).closest("[data-testid]") as HTMLElement);

test("who waits, since when, with how much; and what was refused, being too much", () => {
  shown([
    waiting(1, "10.20.3.9", { firstSeen: "2026-11-28T02:14:07.000000Z", lastHeard: "2026-11-28T02:24:02.000000Z" }),
    waiting(2, "10.20.4.9", { held: 10_000, heldRefused: 1_204, firstSeen: null, lastHeard: null }),
  ]);
  expect(screen.getAllByTestId("waiting-sender").map((l) => l.textContent)).toEqual([
    "10.20.3.91 record held, first heard 10 min ago, last 5 s agoWhat it sentAdmit …Refuse",
    "10.20.4.910,000 records held, 1,204 more refused: too manyWhat it sentAdmit …Refuse",
  ]);
});

test("many of one block are one line, so that they hide nobody: those that are few stand first", async () => {
  const { user } = shown([
    ...Array.from({ length: 300 }, (_, i) => waiting(i + 10, `203.0.113.${i % 250}`, { held: 2 })),
    waiting(1, "10.20.3.9"),
  ]);
  const [first, second, ...more] = document.querySelectorAll("[data-testid^=waiting]");
  expect(first!.textContent).toContain("10.20.3.9");
  expect(second!.textContent).toContain("203.0.113.0/24300 senders, 600 records held");
  expect(more).toHaveLength(0);
  await user.click(screen.getByRole("button", { name: "Show each" }));
  expect(screen.getAllByTestId("waiting-sender")).toHaveLength(301);
});

test("a whole block is admitted as it is now, or refused; of IPv6 it is a /64", async () => {
  const { acts, user } = shown([
    ...Array.from({ length: 9 }, (_, i) => waiting(i + 10, `2001:db8::${i + 1}`)),
    ...Array.from({ length: 8 }, (_, i) => waiting(i + 30, `203.0.113.${i}`)),
  ]);
  await user.click(line("2001:db8::/64").getByRole("button", { name: "Admit all" }));
  await user.click(line("203.0.113.0/24").getByRole("button", { name: "Refuse all" }));
  expect(acts).toEqual([
    ["admit block", "2001:db8::/64", false],
    ["refuse block", "203.0.113.0/24"],
  ]);
});

test("one is admitted by a form, where its name and site are said, or refused", async () => {
  const { acts, user } = shown([waiting(1, "10.20.3.9"), waiting(2, "10.20.3.10")]);
  await user.click(line("10.20.3.9").getByRole("button", { name: "Admit …" }));
  const form = within(screen.getByRole("form", { name: "Admit 10.20.3.9" }));
  await user.clear(form.getByLabelText("Name"));
  await user.type(form.getByLabelText("Name"), "till-9");
  await user.click(form.getByRole("button", { name: "Admit" }));
  await user.click(line("10.20.3.10").getByRole("button", { name: "Refuse" }));
  expect(acts).toEqual([
    ["admit", 1, { name: "till-9", site: null }],
    ["refuse", 2],
  ]);
});

test("a block is typed, and admitted from now on unless somebody says otherwise; what is none is refused", async () => {
  const { acts, user } = shown([]);
  const field = screen.getByPlaceholderText("10.20.0.0/16");
  await user.type(field, "10.20.0.0/99");
  await user.click(screen.getByRole("button", { name: "Admit" }));
  expect(acts).toEqual([]);
  await user.clear(field);
  await user.type(field, "10.20.0.0/16");
  await user.click(screen.getByRole("button", { name: "Admit" }));
  expect(acts).toEqual([["admit block", "10.20.0.0/16", true]]);
});

test("those beyond the list are counted, and said", () => {
  shown([], 4_120);
  expect(screen.getByText(/^4,120 more records came from senders beyond the list/)).toBeTruthy();
});
