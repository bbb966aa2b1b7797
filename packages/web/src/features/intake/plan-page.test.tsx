import { Capacity } from "@halvik/contract/capacity";
import { DEVICE_KINDS } from "@halvik/core/assure";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { PlanPage } from "./plan-page";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

const FULL = "2027-03-14T10:00:00.000000Z";
const forecast = (over: object = {}) => ({ bytesADay: 2e9, steadyBytes: 60e9, full: null, ...over });
const capacity = (over: object = {}): Capacity =>
  Capacity.parse({
    disk: { bytes: 100e9, free: 50e9, shed: 5e9 },
    store: { bytes: 10e9, records: 1e7, storedDays: 5 },
    measuredDays: 5,
    streams: [
      {
        kind: "syslog",
        recordsADay: 1e6,
        bytesARecord: 450,
        measured: true,
        bytesADay: 4.5e8,
        keepDays: 90,
        largest: 1,
      },
      {
        kind: "flow",
        recordsADay: 2e6,
        bytesARecord: 239,
        measured: false,
        bytesADay: 4.8e8,
        keepDays: 30,
        largest: 1,
      },
    ],
    senders: [{ id: 1, name: "vpn-1\u202e", site: "Orvane", recordsADay: 1, bytesADay: 1e6 }],
    sites: [{ site: "Orvane", bytesADay: 1e6 }],
    hours: [1, 5, 3],
    hoursFrom: "2026-11-21T02:00:00.000000Z",
    devices: [],
    now: forecast(),
    asked: forecast(),
    keep: { records: 90, flows: 30 },
    ...over,
  });

/** What is asked of the server stands in the addresses it was asked by. */
function plan(over: object = {}) {
  const asked: string[] = [];
  globalThis.fetch = async (address) => {
    const query = new URL(String(address), "http://halvik.example").searchParams;
    asked.push([...query].map((pair) => pair.join("=")).join("&"));
    return Response.json(capacity(over));
  };
  draw(<PlanPage />, { answers: [[["capacity", {}], capacity(over)]] });
  return { asked, user: userEvent.setup() };
}
const text = () => document.body.textContent ?? "";

test("how much a day, how much in the end, and that the disk suffices", () => {
  plan();
  expect(text()).toContain("2.0 GB a day; 60.0 GB when everything is as old as it may be (now 10.0 GB, free 45.0 GB).");
  expect(text()).toContain("The disk does not get full.");
  expect(text()).toContain("mean of 5.0 days, whole hours");
});

test.each([
  [{ now: forecast({ full: FULL }) }, /The disk is full on 14 Mar/],
  [{ measuredDays: 0.5 }, /From 12 hours of arrivals: a first guess/],
  [{ measuredDays: 0.01 }, /From less than an hour of arrivals/],
  [{ measuredDays: 0, now: forecast({ bytesADay: 0 }) }, /Nothing has arrived yet: plan with the devices below/],
  [{ disk: { bytes: 1, free: 1e9, shed: 5e9 } }, /free 0 B/],
])("said when it is so: %#", (over, said) => {
  plan(over);
  expect(text()).toMatch(said);
});

test("what was measured and what is assumed are told apart; names are shown for what they are", () => {
  plan();
  const cells = screen.getAllByRole("row").map((r) => r.textContent);
  expect(cells.some((c) => c!.startsWith("syslog1,000,000450"))).toBe(true);
  expect(cells.some((c) => c!.startsWith("flow2,000,000≈ 239"))).toBe(true);
  expect(text()).toContain("vpn-1⟨202E⟩");
});

test("what if they were kept longer: asked as soon as it is a number of days, and never otherwise", async () => {
  const { asked, user } = plan({ asked: forecast({ full: FULL }) });
  const records = screen.getByLabelText("Records kept, days");
  await user.type(records, "0");
  expect(screen.getByText("1 to 3650.")).toBeTruthy();
  await user.clear(records);
  await user.type(records, "365");
  await user.type(screen.getByLabelText("Flows kept, days"), "9x");
  expect(asked).toEqual(["records=3", "records=36", "records=365", "records=365&flows=9"]);
  expect((await screen.findByRole("status")).textContent).toContain("Then: 2.0 GB a day");
});

test("further devices are counted by their kind; letters are no number; clear takes all back", async () => {
  const [first, second] = DEVICE_KINDS;
  const { asked, user } = plan({ devices: [{ kind: first!.name, count: 40, recordsADay: 96_000, bytesADay: 4e7 }] });
  const field = screen.getByLabelText(`How many: ${first!.name}`) as HTMLInputElement;
  await user.type(field, "4a0");
  expect(field.value).toBe("40");
  await user.type(screen.getByLabelText(`How many: ${second!.name}`), "2");
  expect(asked.at(-1)).toBe(`devices=${first!.name}=40;${second!.name}=2`);
  expect(text()).toContain("96,000 records, 40.0 MB a day");
  await user.click(screen.getByRole("button", { name: "clear" }));
  expect(field.value).toBe("");
  expect(screen.queryByRole("status")).toBeNull();
});

test("each question leads to the records that answer it, and says what that kind takes now", () => {
  plan({ streams: [] });
  expect(screen.getAllByText("nothing of that kind arrives yet").length).toBeGreaterThan(3);
  const links = screen.getAllByRole("link").filter((l) => l.getAttribute("href")!.startsWith("/records?"));
  expect(links.length).toBeGreaterThan(3);
});
