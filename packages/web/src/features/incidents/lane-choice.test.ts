import { incidentJson, recordJson } from "../../testing/answers";
import { freshPage } from "../../testing/fresh-page";
import { arrowsOf, evidenceOf, lanesOf } from "./lane-choice";

freshPage();

type Detail = Parameters<typeof lanesOf>[0];
const at = (s: number) => `2026-11-28T02:14:${String(s).padStart(2, "0")}.000000Z`;
const refused = (s: number, user: string) =>
  recordJson({ id: String(s), time: at(s), category: "logon", outcome: "failure", src: "203.0.113.9", users: [user] });
const letIn = recordJson({
  id: "30",
  time: at(30),
  category: "logon",
  outcome: "success",
  src: "203.0.113.9",
  users: ["k.lind"],
});
const entities = ["src=203.0.113.9", "user=root", "user=test", "user=k.lind", "sender=vpn-1", "process=x"].map((e) => {
  const [field, value] = e.split("=") as [string, string];
  return { field, value };
});
const records = [refused(1, "root"), refused(2, "test"), refused(3, "k.lind"), letIn];
const detail = {
  incident: incidentJson({ entities }),
  findings: [{ evidence: [...records].reverse() }, { evidence: records }],
} as unknown as Detail;

test("a record that two findings hold is drawn once, the oldest first", () =>
  expect(evidenceOf(detail).map((r) => r.id)).toEqual(["1", "2", "3", "30"]));

test("who takes part has a lane before who was only tried; how is no lane", () => {
  const lanes = lanesOf(detail).map((l) => l.value);
  expect(lanes.slice(0, 1)).toEqual(["203.0.113.9"]);
  expect(lanes).toEqual(expect.arrayContaining(["vpn-1", "k.lind"]));
  expect(lanes).not.toContain("x");
});

test("arrows say who did it to whom, once for what lies close together, refused apart from what worked", () => {
  const lanes = [
    { field: "src", value: "203.0.113.9" },
    { field: "sender", value: "vpn-1" },
  ];
  expect(arrowsOf(records, lanes, 10e6).map((a) => [a.from, a.to, a.count, a.worked])).toEqual([
    [0, 1, 3, false],
    [0, 1, 1, true],
  ]);
  expect(arrowsOf(records, lanes, 0.5e6)).toHaveLength(4);
});
