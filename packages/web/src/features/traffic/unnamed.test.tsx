import { UnnamedTraffic } from "@halvik/contract/traffic";
import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { TrafficAsked, WindowParts } from "../../data/api";
import { answering, refusal } from "../../testing/answering";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Unnamed } from "./unnamed";

freshPage();

const WINDOW: WindowParts = { from: "2026-11-27T02:14:07.000000Z", to: "2026-11-28T02:14:07.000000Z" };
const ASKED = { count: "once", measure: "bytes", filter: "", zone: "UTC" } as TrafficAsked;
const row = (over: object = {}) => ({
  ...{ label: "unnamed udp 51820", filter: "protocol is 17 and dst port is 51820", protocol: 17, port: 51_820 },
  ...{ amounts: { bytes: 37_900_000_000, packets: 4e7, flows: 900 }, since: "2026-11-20T02:14:07.000000Z" },
  ...{ servers: [{ address: "10.20.1.31", name: null, bytes: 9 }], ...over },
});

const listed = async (rows: object[], answers: Record<string, unknown> = {}) => {
  const asked = answering({ "GET /traffic/unnamed": { rows: UnnamedTraffic.shape.rows.parse(rows) }, ...answers });
  const narrowed: string[] = [];
  draw(<Unnamed window={WINDOW} asked={ASKED} zone="UTC" onNarrow={(f) => narrowed.push(f)} />);
  const section = within(await screen.findByRole("region", { name: "Unnamed traffic" }));
  return { section, narrowed, user: userEvent.setup(), sent: () => asked.filter(([what]) => !what.startsWith("GET")) };
};

test("how much, since when, at whom; it leads to its flows, and narrows the page", async () => {
  const { section, narrowed, user } = await listed([
    row(),
    row({ label: "unnamed tcp 9", since: null, servers: [{ address: "10.20.1.60", name: "till <b>", bytes: 9 }] }),
  ]);
  const [first, second] = section.getAllByRole("listitem").map((l) => l.textContent);
  expect(first).toMatch(/^udp 51820.*37\.9 GB.*since 20 Nov.*at 10\.20\.1\.31/);
  // a port that has a name at some addresses only
  expect(second).toContain("10.20.1.60 (named till <b> there)");
  expect(second).not.toContain("since");
  const [flows] = section.getAllByRole("link");
  expect(new URLSearchParams(flows!.getAttribute("href")!.split("?")[1]).get("filter")).toBe(
    "kind is flow and protocol is 17 and dst port is 51820",
  );
  await user.click(section.getAllByRole("button", { name: "only this" })[0]!);
  expect(narrowed).toEqual(["protocol is 17 and dst port is 51820"]);
});

test("where all of it has a name that is said", async () => {
  const { section } = await listed([]);
  expect(section.getByText("All traffic of this window has a name.")).toBeTruthy();
});

test("it is named in place: everywhere, or at an address", async () => {
  const { section, user, sent } = await listed([row()], { "POST /applications": { applications: [], unnamed: [] } });
  await user.click(section.getByRole("button", { name: "name it" }));
  await user.click(screen.getByRole("button", { name: "Save" }));
  expect(screen.getByText("A name is needed.")).toBeTruthy();
  await user.type(screen.getByLabelText("Name"), " the tunnel ");
  await user.type(screen.getByLabelText("At"), "10.20.1.31");
  await user.click(screen.getByRole("button", { name: "Save" }));
  expect(sent()).toEqual([
    [
      "POST /applications",
      { name: "the tunnel", protocol: 17, lowPort: 51_820, highPort: null, network: "10.20.1.31" },
    ],
  ]);
  await waitFor(() => expect(screen.queryByLabelText("Name")).toBeNull());
});

test("a name that is refused says why, at the name", async () => {
  const { section, user } = await listed([row()], {
    "POST /applications": refusal("network: expected an address or block"),
  });
  await user.click(section.getByRole("button", { name: "name it" }));
  await user.type(screen.getByLabelText("Name"), "x{Enter}");
  expect(await screen.findByText("network: expected an address or block")).toBeTruthy();
});
