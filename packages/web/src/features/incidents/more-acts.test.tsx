import type { IncidentDetail } from "@halvik/contract/incidents";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { answering } from "../../testing/answering";
import { incidentJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { MoreActs } from "./more-acts";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

const finding = (id: number, ...entities: string[]) => ({
  id,
  first: "2026-11-28T02:14:07.000000Z",
  count: 3,
  rule: "scan",
  entities: entities.map((value) => ({ field: "host", value })),
});

const SHELVED = { until: "2026-11-29T02:00:00.000000Z", by: "k.lind", why: "a test" };

function drawn(over: object = {}, incident: Parameters<typeof incidentJson>[0] = {}, isTaken = true) {
  answering({ "GET /incidents": { incidents: [incidentJson({ id: 8, title: "a scan" })] } });
  const acts: unknown[] = [];
  const detail = {
    incident: incidentJson({ id: 7, ...incident }),
    findings: [finding(1, "dc-1", "app-1"), finding(2, "dc-1"), finding(3, "app-1")],
    rules: [{ id: "scan", name: "A scan" }],
    ...over,
  } as unknown as IncidentDetail;
  draw(
    <MoreActs
      detail={detail}
      act={async (what, body) => {
        acts.push([what, body]);
        return isTaken;
      }}
    />,
  );
  return { acts, user: userEvent.setup() };
}

const open = async (user: ReturnType<typeof userEvent.setup>, item: RegExp) => {
  await user.click(screen.getByRole("button", { name: "More" }));
  await user.click(await screen.findByRole("menuitem", { name: item }));
};

test.each([
  [/^Merge into/, "merge", { into: 8 }],
  [/^Link to/, "link", { to: 8 }],
])("%s another one, and the dialog goes", async (item, what, body) => {
  const { acts, user } = drawn();
  await open(user, item);
  await user.click(await screen.findByRole("button", { name: /^a scan/ }));
  expect(acts).toEqual([[what, body]]);
  expect(screen.queryByRole("dialog")).toBeNull();
});

test("what is refused stays to be chosen otherwise", async () => {
  const { acts, user } = drawn({}, {}, false);
  await open(user, /^Merge into/);
  await user.click(await screen.findByRole("button", { name: /^a scan/ }));
  expect(acts).toHaveLength(1);
  expect(screen.getByRole("dialog", { name: "Merge into another incident" })).toBeTruthy();
});

test("split off: a finding by itself, or all that name something that not all of them name", async () => {
  const { acts, user } = drawn();
  await open(user, /^Split off/);
  expect(screen.getAllByRole("button", { name: /^all that name/ }).map((b) => b.textContent)).toEqual([
    "all that name host dc-12 findings",
    "all that name host app-12 findings",
  ]);
  expect(screen.getAllByRole("button", { name: /^A scan \(3\)/ })).toHaveLength(3);
  await user.click(screen.getByRole("button", { name: /name host app-1/ }));
  expect(acts).toEqual([["split", { entity: { field: "host", value: "app-1" } }]]);
});

test("one finding alone cannot be split; what is not shelved is not taken from a shelf", async () => {
  const { user } = drawn({ findings: [finding(1, "dc-1")] });
  await user.click(screen.getByRole("button", { name: "More" }));
  const items = (await screen.findAllByRole("menuitem")).map((i) => i.textContent);
  expect(items).toEqual([
    "Merge into another incident …",
    "Link to another incident …",
    "Export as Markdown",
    "Export as JSON",
    "Hand over (as Markdown)",
  ]);
});

test("what is shelved is taken from the shelf", async () => {
  const { acts, user } = drawn({}, { shelved: SHELVED });
  await open(user, /^Take from the shelf/);
  expect(acts).toEqual([["shelve", { until: null }]]);
});

test("exports are links of their own, by number", async () => {
  const { user } = drawn();
  await user.click(screen.getByRole("button", { name: "More" }));
  const links = (await screen.findAllByRole("menuitem")).flatMap((i) => i.getAttribute("href") ?? []);
  expect(links).toEqual([
    "/api/v1/incidents/7/export?format=markdown",
    "/api/v1/incidents/7/export?format=json",
    "/api/v1/incidents/7/export?format=handover",
  ]);
});
