import fc from "fast-check";
import { Meanings } from "../meaning/index.js";
import type { RecordContent } from "../model/record/index.js";
import { fitContent, jsonRecord, syslogRecord } from "../normalise/index.js";
import { testRecord } from "../testing/record.js";
import { applyFormats, OwnFormat, type ReadyFormat, readAnew, readsAlike, readyFormat } from "./index.js";

const meanings = new Meanings();
const fit = (content: RecordContent): RecordContent => fitContent(content, new Uint8Array());
const asRecord = (content: RecordContent) => testRecord(content);
const version = (format: object): ReadyFormat =>
  readyFormat(1, OwnFormat.parse({ name: "Cranes", filter: "app is craned", ...format }), (r) => r.app === "craned");
const EARLIER = version({
  form: { is: "line", template: "crane {crane:number} {action} {load} by {user} from {src:address}" },
  words: { action: { lifted: "accept", refused: "deny" } },
});
const LATER = version({
  form: { is: "line", template: "crane {crane:number} {outcome} {load:number} t by {user} from {dst:address}" },
  words: { outcome: { lifted: "success", refused: "failure" } },
  sets: { event: "lift", category: "system health", severity: 4 },
});

const RECEIVED = 1_795_485_911_000_000;
const decoded = (line: string): RecordContent => {
  const bytes = new TextEncoder().encode(`<14>Nov 24 10:00:00 quay-1 craned[7]: ${line}`);
  const context = { receivedUs: RECEIVED, zone: "UTC", clockOffsetUs: 0, meanings };
  return fitContent(syslogRecord(bytes, context).content, bytes);
};
const read = (format: ReadyFormat, content: RecordContent): RecordContent | null => {
  const made = applyFormats([format], content, asRecord, meanings);
  return made.fits === null ? null : fit(made.content);
};
/** As rules of arrival do it, behind the formats. */
type Marking = (content: RecordContent) => RecordContent;
const MARKINGS: readonly Marking[] = [
  (c) => c,
  (c) => ({ ...c, data: [...c.data, ["tag", "pci"], ["site", "north quay"]] }),
  (c) => ({ ...c, severity: 1, originalSeverity: c.originalSeverity ?? "informational" }),
  (c) => ({ ...c, category: "service", marks: [...c.marks, "expected"] }),
];
const anew = (stored: RecordContent, from: RecordContent, earlier = EARLIER, later = LATER) =>
  readAnew(asRecord(stored), from, { earlier, later, meanings, fit });

const lines = fc.tuple(
  fc.integer({ min: 1, max: 99 }),
  fc.constantFrom("lifted", "refused", "held"),
  fc.constantFrom("12 t", "0 t", "7.5 t"),
  fc.constantFrom("k.lind", "ORVANE\\anna", "björn", "x".repeat(3_000)),
  fc.constantFrom("10.20.1.18", "2001:db8::7"),
);

test("as if the later version had been there when it arrived, whatever rules of arrival did", () => {
  fc.assert(
    fc.property(lines, fc.constantFrom(...MARKINGS), ([crane, does, load, user, address], marks) => {
      const from = decoded(`crane ${crane} ${does} ${load} by ${user} from ${address}`);
      const wanted = marks(read(LATER, from)!);
      const made = anew(marks(read(EARLIER, from)!), from)!;
      expect(readsAlike(made, wanted)).toBe(true);
      expect(made.data).toEqual(wanted.data);
      expect([made.kind, made.src, made.dst, made.action]).toEqual([
        wanted.kind,
        wanted.src,
        wanted.dst,
        wanted.action,
      ]);
    }),
  );
});

test("of a JSON record too", () => {
  const bytes = new TextEncoder().encode(
    JSON.stringify({ app: "craned", msg: "crane 4 lifted 2 t by k.lind from 10.20.1.18", deck: "b" }),
  );
  const from = jsonRecord(bytes, { receivedUs: RECEIVED, clockOffsetUs: 0, meanings, mapping: null }).content;
  expect(readsAlike(anew(read(EARLIER, from)!, from)!, read(LATER, from)!)).toBe(true);
});

const LINE = "crane 4 lifted 2 t by k.lind from 10.20.1.18";
const STORED = read(EARLIER, decoded(LINE))!;
test.each<[string, RecordContent, RecordContent]>([
  ["another text", STORED, decoded(LINE.replace("4", "5"))],
  ["values that the earlier version does not read", { ...STORED, users: ["anna"] }, decoded(LINE)],
  ["named values in another order", { ...STORED, data: STORED.data.toReversed() }, decoded(LINE)],
  ["a value that is not there", { ...STORED, data: STORED.data.slice(1) }, decoded(LINE)],
])("%s: it stays as it is", (_, stored, from) => expect(anew(stored, from)).toBeNull());

test("what the later version does not read stays as it is; the same version changes nothing", () => {
  expect(
    anew(STORED, decoded(LINE), EARLIER, version({ form: { is: "line", template: "winch {n:number}" } })),
  ).toBeNull();
  expect(anew(STORED, decoded(LINE), LATER, EARLIER)).toBeNull();
  expect(readsAlike(anew(STORED, decoded(LINE), EARLIER, EARLIER)!, STORED)).toBe(true);
});
