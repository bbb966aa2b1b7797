import type { EndpointJson } from "@halvik/contract/kinds";
import { type SenderPortrait, type WayCounts, wayCounts } from "@halvik/contract/senders";
import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore, usOf } from "../../data/view-store";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { SenderClock } from "./sender-clock";
import { SenderNumbers } from "./sender-numbers";
import { SenderWays } from "./sender-ways";
import { SnmpCommunities } from "./snmp-communities";

freshPage();

/** Seven days and the hour that goes on. */
const HOURS = 169;
const FROM = "2026-11-21T02:00:00.000000Z";
const NOW = usOf("2026-11-28T02:15:00.000000Z");
beforeEach(() => {
  localStorage.clear();
  useViewStore.setState({ nowUs: NOW, zone: "UTC" });
});

type Way = SenderPortrait["ways"][number];
const hour = (records: number, more: Partial<WayCounts> = {}) =>
  wayCounts({ messages: records, records, bytes: 100 * records, ...more });
const portrait = (hours: Way["hours"]): SenderPortrait => ({
  ...{ from: FROM, hours: [], kinds: [], severities: [], share: 0, undecodable: [], called: [], clock: [], uses: [] },
  ...{ rulesDrop: false, counters: [] },
  ways: [{ endpoint: "syslog over UDP", last: "2026-11-28T02:14:00.000000Z", hours }],
});
const before = (n: number) => Array.from({ length: HOURS - n }, () => hour(0));
const cells = () =>
  within(screen.getByRole("row", { name: /^syslog/ }))
    .getAllByRole("cell")
    .map((c) => c.textContent);

test("a way in: this hour, least and most of those that are over, all of the days", () => {
  draw(
    <SenderWays sender={3} portrait={portrait([...before(4), hour(7), hour(40, { late: 2 }), hour(12), hour(5)])} />,
  );
  // of troubles those that there were, the others in words
  expect(cells()).toEqual(["1 min ago", "5", "7 to 40", "64", "64", "6.40 kB", "–", "2"]);
  expect(screen.getByText("Nothing was unreadable, refused, sent twice, or over the cap.")).toBeTruthy();
});

test("what its own numbers say never came; of a way without numbers nothing is said", () => {
  draw(
    <SenderWays sender={3} portrait={portrait([...before(1), hour(30, { messages: 4, numbered: 4, missed: 3 })])} />,
  );
  expect(cells().slice(3)).toEqual(["4", "30", "3 kB", "3"]);
  expect(screen.getByText(/by the numbers its flow datagrams carry/)).toBeTruthy();
});

test("counted from now, it is what comes from now on, also when the page is opened again; and all again", async () => {
  const user = userEvent.setup();
  const hours = [...before(2), hour(30), hour(5, { problems: 1 })];
  const { unmount } = draw(<SenderWays sender={3} portrait={portrait(hours)} />);
  await user.click(screen.getByRole("button", { name: "count from now" }));
  expect(cells()[3]).toBe("0");
  unmount();
  const { unmount: end } = draw(
    <SenderWays sender={3} portrait={portrait([...before(2), hour(30), hour(9, { problems: 2 })])} />,
  );
  expect([cells()[3], cells()[7]]).toEqual(["4", "1"]);
  end();
  // another sender's is its own
  const other = draw(<SenderWays sender={4} portrait={portrait(hours)} />);
  expect(cells()[3]).toBe("35");
  other.unmount();
  draw(<SenderWays sender={3} portrait={portrait(hours)} />);
  await user.click(screen.getByRole("button", { name: "all of the seven days" }));
  expect(cells()[3]).toBe("35");
});

test("what something else wrote where it is kept is begun anew", () => {
  localStorage.setItem("halvik.counted-since.3", "{");
  draw(<SenderWays sender={3} portrait={portrait([...before(1), hour(5)])} />);
  expect(cells()[3]).toBe("5");
});

test.each([
  ["right all the time", [{ least: 0, most: 40 }, null], "clock OK"],
  ["behind, then ahead", [{ least: -3_000, most: 125_000 }], "from 3 s ahead to 2 min 5 s behind"],
])("a clock that is %s", (_what, clock, said) => {
  draw(<SenderClock clock={clock} />);
  expect(screen.getByRole("img").getAttribute("aria-label")).toBe(`How far its clock was off, by the hour: ${said}`);
});

test("numbers: all came, some never did, they began anew; of none nothing is said", () => {
  const stream = { what: "record ids of Windows logs", first: 7, last: 20, anew: 0 };
  const streams = [
    { ...stream, of: "System on srv-1", received: 14, missing: 0 },
    { ...stream, of: "<b>Security</b> on srv-1", received: 1_200, missing: 3, anew: 2 },
    { ...stream, of: "Forwarded on srv-2", received: 4, missing: null },
  ];
  const { unmount } = draw(<SenderNumbers sender={3} />, {
    answers: [[["sender numbers", 3], { since: FROM, streams }]],
  });
  const lines = screen.getAllByRole("listitem").map((l) => l.textContent);
  expect(lines[0]).toContain("all 14 came");
  expect(lines[1]).toContain("<b>Security</b> on srv-1");
  expect(lines[1]).toContain("3 of 1,203 never came");
  expect(lines[1]).toContain("began anew 2 times");
  expect(lines[2]).toContain("do not follow one another");
  unmount();
  draw(<SenderNumbers sender={3} />, { answers: [[["sender numbers", 3], { since: FROM, streams: [] }]] });
  expect(screen.queryByRole("region")).toBeNull();
});

describe("communities", () => {
  const endpoint = (parts: Partial<EndpointJson>) =>
    ({ id: 9, kind: "snmp", communities: [], refused: [], ...parts }) as unknown as EndpointJson;
  const refused = { digest: "ab".repeat(16), mask: "p•••", peer: "10.20.1.4", count: 14, at: FROM };

  test("one that was refused is admitted by one key; nobody who may not sees a key", async () => {
    const asked: unknown[] = [];
    globalThis.fetch = (async (url: string, of: RequestInit) => {
      asked.push([of.method, url, of.body]);
      return new Response(JSON.stringify({ endpoints: [], fingerprint: null, windowsScript: "" }), {
        headers: { "content-type": "application/json" },
      });
    }) as typeof fetch;
    const { unmount } = draw(<SnmpCommunities endpoint={endpoint({ refused: [refused] })} />);
    expect(screen.getByText(/14 times, the last from 10.20.1.4/)).toBeTruthy();
    await userEvent.setup().click(screen.getByRole("button", { name: "Admit p•••" }));
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(asked[0]).toEqual(["POST", "/api/v1/endpoints/9/communities", JSON.stringify({ digest: refused.digest })]);
    unmount();
    draw(<SnmpCommunities endpoint={endpoint({ refused: [{ ...refused, digest: null }] })} />);
    expect(screen.queryByRole("button", { name: "Admit p•••" })).toBeNull();
  });

  test.each([
    [null, /any may speak/],
    [[], /nobody may speak by v1 and v2c/],
    [[{ digest: "c".repeat(32), mask: "o•••" }], /o•••/],
  ])("%j", (communities, said) => {
    draw(<SnmpCommunities endpoint={endpoint({ communities })} />);
    expect(screen.getByRole("region", { name: "Communities" }).textContent).toMatch(said);
  });
});
