import { SenderPortrait } from "@halvik/contract/senders";
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { Route, Routes } from "react-router";
import { useViewStore, usOf } from "../../data/view-store";
import { answering } from "../../testing/answering";
import { senderJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { SenderPage } from "./sender-page";

freshPage();

const AT = "2026-11-28T02:14:07.000000Z";
beforeEach(() => useViewStore.setState({ zone: "UTC", nowUs: usOf("2026-11-28T02:15:00.000000Z") }));

const HOURS = Array.from({ length: 168 }, (_, i) => i % 24);
const portrait = (over: object = {}): SenderPortrait =>
  SenderPortrait.parse({
    from: "2026-11-21T02:00:00.000000Z",
    hours: HOURS,
    kinds: [{ kind: "syslog", hours: HOURS, day: 276, usual: 280.4 }],
    severities: [{ severity: 3, hours: HOURS, day: 12, usual: null }],
    share: 0.034,
    called: [],
    undecodable: [],
    ways: [],
    clock: [],
    uses: [],
    rulesDrop: false,
    counters: [],
    ...over,
  });

function page(
  over: object = {},
  sender: Parameters<typeof senderJson>[0] | null = {},
  answers: Record<string, unknown> = {},
) {
  const asked = answering(answers);
  draw(
    <Routes>
      <Route path="/intake/senders/:id" element={<SenderPage />} />
    </Routes>,
    {
      at: "/intake/senders/1",
      answers: [
        [["senders"], { senders: sender === null ? [] : [senderJson(sender)], networks: [] }],
        [["sender", 1], portrait(over)],
      ],
    },
  );
  return { asked, user: userEvent.setup() };
}
const text = () => document.body.textContent ?? "";
const filterOf = (link: HTMLElement) => new URLSearchParams(link.getAttribute("href")!.split("?")[1]).get("filter");

test("what it is, when it was heard, how much of all it is", () => {
  page({}, { name: "vpn 1", usualGapSeconds: null, lastHeard: AT });
  expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("vpn 1");
  expect(text()).toContain("last53 s ago");
  expect(text()).toContain("usual gapnot learnt yet");
  expect(text()).toContain("3.4 % of all records of the last day");
  expect(filterOf(screen.getAllByRole("link", { name: "Its records" })[0]!)).toBe('sender is "vpn 1"');
});

test("one that was never heard says so; one that is gone too", () => {
  page({}, { lastHeard: null, firstSeen: null });
  expect(text()).toContain("lastnever");
});

test("a sender that there is not", () => {
  page({}, null);
  expect(text()).toContain("No such sender");
});

test("by kind and severity against what is usual; each leads to its records", () => {
  page();
  const kinds = within(screen.getByRole("region", { name: "By kind" }));
  expect(filterOf(kinds.getByRole("link", { name: "syslog" }))).toBe("sender is vpn-1 and kind is syslog");
  expect(kinds.getByText("280")).toBeTruthy();
  const severities = within(screen.getByRole("region", { name: "By severity" }));
  expect(filterOf(severities.getByRole("link", { name: "3 error" }))).toBe("sender is vpn-1 and severity is error");
  expect(severities.getByText("not known yet")).toBeTruthy();
});

test("names and addresses it had, with from and to where they are known", () => {
  const to = "2026-11-20T10:00:00.000000Z";
  page({
    called: [
      { what: "address", value: "10.20.1.12", since: AT, until: null },
      { what: "name", value: "old\u202e", since: null, until: to },
      { what: "address", value: "10.20.1.11", since: to, until: AT },
    ],
  });
  const list = screen.getAllByRole("listitem").map((l) => l.textContent);
  expect(list).toEqual([
    "10.20.1.12 since 28 Nov 02:14",
    "old⟨202E⟩ until 20 Nov 10:00",
    "10.20.1.11 from 20 Nov 10:00 until 28 Nov 02:14",
  ]);
});

test("what could not be decoded stands there with where and why, and its octets", () => {
  page({
    undecodable: [
      { endpoint: "flow-1", at: AT, code: "TRUNCATED", message: "flow set: cut\u0007", offset: 20, hex: "0009ff" },
    ],
  });
  expect(text()).toContain("28 Nov 02:14 by flow-1 flow set: cut␇ (TRUNCATED, at 20)");
  expect(text()).toContain("00 09 ff");
});

test("what names it leads there, where there is such a place", () => {
  page({
    uses: [
      { what: "rule", id: "scan", name: "A scan" },
      { what: "board", id: "4", name: "Night" },
      { what: "saved filter", id: "2", name: "ours" },
    ],
  });
  expect(screen.getByRole("link", { name: "A scan" }).getAttribute("href")).toBe("/rules/scan");
  expect(screen.getByRole("link", { name: "Night" }).getAttribute("href")).toBe("/reports/boards/4");
  expect(screen.queryByRole("link", { name: "ours" })).toBeNull();
});

describe("its own counter", () => {
  const counter = (theirs: number, ours: number) => ({
    counters: [{ at: AT, theirs: 1_500, who: "k.lind", since: { theirs, ours, from: "2026-11-28T01:00:00.000000Z" } }],
  });
  test.each([
    [500, 500, false, "all of them"],
    [500, 480, false, "20 never arrived"],
    [500, 480, true, "20 never arrived, or were dropped by rules of arrival"],
    [480, 500, false, "20 more than it says: messages on their way, or heard by two ways"],
    [-7, 500, false, "its counter began anew"],
  ])("it sent %i and %i were heard", (theirs, ours, rulesDrop, said) => {
    page({ ...counter(theirs, ours), rulesDrop });
    expect(text()).toContain(said);
  });

  test("is noted as a number; what is none is not sent", async () => {
    const { asked, user } = page({}, {}, { "POST /senders/1/counter": portrait(counter(5, 5)) });
    const field = screen.getByLabelText("Its counter now");
    await user.type(field, "12 thousand{Enter}");
    expect(asked).toEqual([]);
    await user.clear(field);
    await user.type(field, "1500{Enter}");
    expect(asked).toEqual([["POST /senders/1/counter", { count: 1_500 }]]);
    expect(await screen.findByText("all of them")).toBeTruthy();
    expect((field as HTMLInputElement).value).toBe("");
  });

  test("what was noted is forgotten only when that is meant", async () => {
    const { asked, user } = page(counter(5, 5), {}, { "DELETE /senders/1/counter": portrait() });
    await user.click(screen.getByRole("button", { name: "begin anew" }));
    expect(asked).toEqual([]);
    await user.click(screen.getByRole("button", { name: "forget these and begin anew" }));
    expect(asked).toHaveLength(1);
    expect(screen.queryByRole("button", { name: "begin anew" })).toBeNull();
  });
});
