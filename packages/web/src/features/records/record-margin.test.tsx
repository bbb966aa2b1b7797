import { RecordDetail, type RecordJson } from "@halvik/contract/records";
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { answering } from "../../testing/answering";
import { recordJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { isDecidable, policySearch, RecordMargin } from "./record-margin";
import type { PivotActions } from "./values";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

const base64 = (bytes: Uint8Array | string) => btoa(typeof bytes === "string" ? bytes : String.fromCharCode(...bytes));

function margin(over: Partial<RecordJson> = {}, detail: object = {}, raw: Uint8Array | string = "<38>refused") {
  answering({});
  const done: unknown[] = [];
  const noted =
    (what: string) =>
    (...of: unknown[]) =>
      done.push([what, of[0]]);
  const actions = Object.fromEntries(
    ["only", "without", "around", "rightAfter", "show", "seen"].map((name) => [name, noted(name)]),
  ) as unknown as PivotActions;
  const answer = RecordDetail.parse({
    record: recordJson(over),
    raw: { base64: base64(raw), bytes: raw.length },
    incidents: [],
    ...detail,
  });
  draw(
    <RecordMargin
      id="1"
      filter=""
      actions={actions}
      onLines={noted("lines") as never}
      onClose={noted("close") as never}
    />,
    { answers: [[["record", "1"], answer]] },
  );
  return { done, user: userEvent.setup() };
}
/** What stands beside a name among the facts; of several of that name all. */
const facts = (name: string) =>
  [...document.querySelectorAll("dt")].filter((dt) => dt.textContent === name).map((dt) => dt.nextSibling!.textContent);
const text = () => document.body.textContent ?? "";

test("a line: what it says, both times and where its time comes from, its severity and what was sent", () => {
  margin({
    sentence: "k.lind was refused",
    timeReason: "corrected",
    deviceTime: "Nov 28 02:13:07",
    clockOffsetMs: -60_000,
    originalSeverity: "warning",
  });
  expect(screen.getAllByRole("heading", { level: 2 })[0]!.textContent).toBe("k.lind was refused");
  expect(facts("severity")).toEqual(["error · original: warning"]);
  expect(facts("time")).toEqual(["28 Nov 02:14:07.000"]);
  expect(text()).toContain("the device’s time, corrected by its clock offset");
  expect(facts("arrival")).toEqual(["28 Nov 02:14:07.000 (clock -60.0 s)"]);
});

test("a title of thousands of characters is cut where one ends", () => {
  margin({ sentence: `${"a".repeat(159)}🚢 and more` });
  expect(screen.getAllByRole("heading", { level: 2 })[0]!.textContent).toBe(`${"a".repeat(159)}…`);
});

test("named values stand in the order sent, also two of a name and what looks like a page", () => {
  margin({
    data: [
      ["terminal", "2"],
      ["terminal", "3"],
      ['a "b"', "<img src=x onerror=alert(1)>\u202e"],
    ],
  });
  expect(facts("terminal")).toEqual(["2", "3"]);
  expect(facts('a "b"')).toEqual(["<img src=x onerror=alert(1)>⟨202E⟩"]);
  expect(document.querySelector("img")).toBeNull();
});

test("incidents it is part of, the format that read it anew, and why it was not read in full", () => {
  margin(
    { problem: { code: "TOO_LONG", offset: 0, message: "text: expected less" } },
    {
      incidents: [{ id: 7, title: "let in as t.vik" }],
      amended: {
        format: "cranes",
        version: 2,
        at: "2026-11-29T00:00:00.000000Z",
        before: [
          { field: "user", values: [] },
          { field: "app", values: ["old"] },
        ],
      },
    },
  );
  expect(screen.getByRole("link", { name: "let in as t.vik" }).getAttribute("href")).toBe("/incidents/7");
  expect(text()).toContain("read anew by the format “cranes”, version 2, on 29 Nov");
  expect(text()).toContain("user nothing");
  expect(text()).toContain("Not decoded in full: text: expected less (TOO_LONG, at 0)");
});

test("the other end of an outage is one key away", async () => {
  const { done, user } = margin({}, { outage: { end: "down", record: "99", lastedMs: 61_000 } });
  await user.click(screen.getByRole("button", { name: "the record of its return" }));
  expect(done).toEqual([["show", "99"]]);
});

test("portraits of whom it names, each once", () => {
  margin({ src: "10.0.0.1", dst: "10.0.0.1", users: ["k.lind"] });
  const line = screen.getByText(/portrait of/);
  expect(
    within(line)
      .getAllByRole("link")
      .map((l) => l.textContent),
  ).toEqual(["vpn-1", "10.0.0.1", "k.lind"]);
});

describe("what came", () => {
  test("as text and as hex, octet by octet; signs that are not seen are shown", async () => {
    const { user } = margin({}, {}, "<38>a\tb\u0007");
    const shown = screen.getByTestId("raw");
    expect(shown.textContent).toContain("<38>a");
    expect(shown.textContent).toContain("␇");
    await user.click(screen.getByRole("button", { name: "as hex" }));
    expect(shown.textContent).toBe("0000  3c 33 38 3e 61 09 62 07  <38>a·b·");
  });

  test("of very much the first is shown as hex, and how much more there is", async () => {
    const { user } = margin({}, {}, new Uint8Array(20_000).fill(65));
    await user.click(screen.getByRole("button", { name: "as hex" }));
    expect(screen.getByTestId("raw").textContent!.endsWith("\n… and 3,616 more")).toBe(true);
  });

  test("is copied as text, as JSON and as it came", async () => {
    const written: string[] = [];
    const { user } = margin({ text: "refused" });
    Object.defineProperty(navigator, "clipboard", {
      configurable: true,
      value: { writeText: async (t: string) => void written.push(t) },
    });
    for (const name of ["text", "JSON", "raw"]) await user.click(screen.getByRole("button", { name }));
    expect(written[0]).toBe("refused");
    expect(JSON.parse(written[1]!)).toMatchObject({ id: "1", text: "refused" });
    expect(written[2]).toBe("<38>refused");
    expect(screen.getByText("raw copied")).toBeTruthy();
  });

  test("of a flow is not there, and why", () => {
    margin({
      kind: "flow",
      flow: { ingress: 3, tcpFlags: 0x12, dscp: 46, icmp: 0x0301, direction: 0, samplingRate: 400 },
    });
    expect(screen.queryByTestId("raw")).toBeNull();
    expect(text()).toContain("Not stored: a flow is one of many in its datagram");
    expect(facts("TCP flags")).toEqual(["SYN ACK"]);
    expect(facts("ICMP")).toEqual(["type 3, code 1"]);
    expect(facts("seen at")).toEqual(["ingress"]);
    expect(text()).toContain("estimated: 1 packet in 400 was counted");
  });
});

test("octets beyond 2^53 are said to the last digit", () => {
  margin({ bytes: "9007199254740993", packets: 1 });
  expect(facts("bytes")).toEqual(["9,007,199,254,740,993 (9.0 PB)"]);
});

test("an address that was translated, with the end that was not", () => {
  margin({ src: "10.0.0.1", translated: { srcPort: 40_000, dst: "2001:db8::7", dstPort: 443 } });
  expect(facts("translated")).toEqual(["from 10.0.0.1:40000 to [2001:db8::7]:443"]);
});

test("by its buttons: around it, only and without its sender; it closes", async () => {
  const { done, user } = margin({ sender: { id: 1, name: "vpn 1" } });
  for (const name of [/^Around this/, /^Only vpn 1/, /^Without/, "Close the margin"])
    await user.click(screen.getByRole("button", { name }));
  expect(done).toMatchObject([
    ["around", { id: "1" }],
    ["only", { only: 'sender is "vpn 1"' }],
    ["without", { only: 'sender is "vpn 1"' }],
    ["close", expect.anything()],
  ]);
});

test.each([
  [{ kind: "flow", src: "10.0.0.1", dst: "10.0.0.2" }, true],
  [{ kind: "firewall", action: "deny", src: "10.0.0.1", dst: "10.0.0.2" }, true],
  [{ kind: "syslog", src: "10.0.0.1", dst: "10.0.0.2" }, false],
  [{ kind: "flow", src: "10.0.0.1" }, false],
] as const)("whether it can be asked if %j was allowed: %s", (over, is) => {
  expect(isDecidable(recordJson(over as Partial<RecordJson>))).toBe(is);
});

test("and it is asked with its ends, and the port where there is one", () => {
  const search = new URLSearchParams(policySearch(recordJson({ src: "10.0.0.1", dst: "10.0.0.2", dstPort: 0 })));
  expect([search.get("src"), search.get("dst"), search.get("port")]).toEqual(["10.0.0.1", "10.0.0.2", "0"]);
});
