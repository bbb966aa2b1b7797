import { noticesOf } from "./notices.js";
import type { NotifiedChange } from "./route.js";

const MINUTE = 60_000_000;
const line = (id: number, incident: number, atUs: number, tells: NotifiedChange) => ({ id, incident, atUs, tells });
const said = (lines: Parameters<typeof noticesOf>[0]) =>
  noticesOf(lines).map(({ tells, lines: [...of] }) => `${of[0]!.incident} ${tells}: ${of.map((l) => l.id).join(" ")}`);

test.each([
  ["nothing", [], []],
  [
    "one that is raised and grows at one moment is one notice",
    [line(1, 7, 0, "raise"), line(2, 7, 0, "update"), line(3, 7, 5, "update")],
    ["7 raise: 1 2 3"],
  ],
  [
    "whatever stands between its lines",
    [line(1, 7, 0, "raise"), line(2, 8, 0, "raise"), line(3, 7, 5, "update")],
    ["7 raise: 1 3", "8 raise: 2"],
  ],
  ["in whatever order they come", [line(3, 7, 5, "update"), line(1, 7, 0, "raise")], ["7 raise: 1 3"]],
  [
    "over within the minute: the last that says so counts",
    [line(1, 7, 0, "raise"), line(2, 7, 9, "clear"), line(3, 7, 9, "update")],
    ["7 clear: 1 2 3"],
  ],
  ["over and back", [line(1, 7, 0, "clear"), line(2, 7, 9, "raise")], ["7 raise: 1 2"]],
  ["a minute belongs to it", [line(1, 7, 0, "raise"), line(2, 7, MINUTE, "update")], ["7 raise: 1 2"]],
  [
    "what comes later is another",
    [line(1, 7, 0, "raise"), line(2, 7, MINUTE + 1, "update")],
    ["7 update: 2", "7 raise: 1"],
  ],
  [
    "after a clock that was set back, too",
    [line(1, 7, 60 * MINUTE, "raise"), line(2, 7, 0, "update")],
    ["7 update: 2", "7 raise: 1"],
  ],
  [
    "one that grows for long is a notice a minute, not one without end",
    [0, 1, 2, 3, 4].map((n) => line(n, 7, n * 40_000_000, "update")),
    ["7 update: 4", "7 update: 2 3", "7 update: 0 1"],
  ],
] as const)("%s", (_what, lines, notices) => expect(said([...lines])).toEqual([...notices]));
