import { incidentJson } from "../../testing/answers";
import { freshPage } from "../../testing/fresh-page";
import { choicesOf, type Narrowing, narrowed } from "./queue-filter";

freshPage();

const all = [
  incidentJson({
    id: 1,
    severity: "critical",
    sites: ["Orvane"],
    tags: ["guessing"],
    techniques: ["T1110"],
    kinds: ["sequence", "count"],
    assignedTo: "m.aune",
    title: "Guessing at vpn-1",
  }),
  incidentJson({ id: 2, severity: "error", sites: ["Hestnes", "Orvane"], tags: ["disk"], title: "A disk of files-1" }),
  incidentJson({ id: 3, severity: "notice", sites: [], tags: ["disk", "guessing"], title: "vpn-1 again" }),
];
const ids = (by: Narrowing, words = "") => narrowed(all, by, words).map((i) => i.id);

test.each<[string, Narrowing, string, number[]]>([
  ["nothing", {}, "", [1, 2, 3]],
  ["a severity or worse", { severity: "error" }, "", [1, 2]],
  ["somebody", { "assigned to": "m.aune" }, "", [1]],
  ["nobody", { "assigned to": "nobody" }, "", [2, 3]],
  ["any of its sites", { site: "Orvane" }, "", [1, 2]],
  ["a tag and a severity", { tag: "disk", severity: "error" }, "", [2]],
  ["a technique", { technique: "T1110" }, "", [1]],
  ["a kind of rule", { kind: "count" }, "", [1]],
  ["words", {}, "VPN-1 again", [3]],
  ["words and a site", { site: "Hestnes" }, "vpn-1", []],
])("narrowed by %s", (_what, by, words, want) => expect(ids(by, words)).toEqual(want));

test("what can be chosen is what is there", () => {
  expect(choicesOf(all, "severity")).toEqual(["critical", "error", "notice"]);
  expect(choicesOf(all, "site")).toEqual(["Hestnes", "Orvane"]);
  expect(choicesOf(all, "assigned to")).toEqual(["m.aune", "nobody"]);
});
