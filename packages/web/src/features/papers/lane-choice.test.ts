import type { PaperDetail, PinJson } from "@halvik/contract/papers";
import { freshPage } from "../../testing/fresh-page";
import { lanesOf, lanesToChoose, pinLanes, spanOf } from "./lane-choice";

freshPage();

const entity = (kind: string, value: string, role = "actor") => ({ kind, role, value, original: value });
const record = (number: number, time: string, entities: ReturnType<typeof entity>[]): PinJson =>
  ({
    number,
    pinned: { is: "record", id: String(number) },
    record: { time, entities, sender: { name: "x" }, text: "", sentence: "" },
  }) as unknown as PinJson;
const at = (minute: number) => `2026-11-26T02:${String(minute).padStart(2, "0")}:00.000000Z`;
const paper = (pins: PinJson[], lanes: PaperDetail["facts"]["lanes"] = []): PaperDetail =>
  ({ pins, facts: { lanes } }) as unknown as PaperDetail;
const PINS = [
  record(1, at(9), [entity("user", "k.lind"), entity("host", "dc-1", "reporter"), entity("port", "22")]),
  record(2, at(1), [
    entity("address", "203.0.113.9", "source"),
    entity("user", "k.lind"),
    entity("host", "vpn-1", "reporter"),
  ]),
];

test("things that pins name have lanes, in the order in which they come; ports have none", () => {
  expect(lanesOf(paper(PINS)).map((l) => l.value)).toEqual(["k.lind", "203.0.113.9", "vpn-1", "dc-1"]);
});

test("chosen ones stand instead, and the others can be chosen", () => {
  const chosen = paper(PINS, [{ kind: "host", value: "dc-1" }]);
  expect(lanesOf(chosen)).toEqual([{ kind: "host", value: "dc-1" }]);
  expect(lanesToChoose(chosen, lanesOf(chosen)).map((l) => l.value)).toEqual(["k.lind", "203.0.113.9", "vpn-1"]);
});

test("a pin stands in the lanes of what it names, last where it happened", () => {
  const lanes = lanesOf(paper(PINS));
  expect(pinLanes(PINS[0]!, lanes).map((i) => lanes[i]!.value)).toEqual(["k.lind", "dc-1"]);
  expect(pinLanes(record(3, at(2), [entity("user", "r.moe")]), lanes)).toEqual([]);
});

test("the drawing reaches from the first record to the last; a search of a month does not stretch it", () => {
  const search = {
    number: 3,
    pinned: { is: "search", from: "2026-11-01T00:00:00Z", to: "2026-12-01T00:00:00Z" },
    record: null,
  } as unknown as PinJson;
  const span = spanOf(paper([...PINS, search]))!;
  expect((span.toUs - span.fromUs) / 60e6).toBeCloseTo(8 * 1.06, 1);
  expect(spanOf(paper([]))).toBeNull();
});
