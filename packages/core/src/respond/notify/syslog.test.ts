import { syslogRecord } from "../../normalise/index.js";
import { syslogLine } from "./index.js";

const about = (id: number, severity: string) => ({
  detail: { incident: { id, severity } } as never,
  link: `https://halvik.example/incidents/${id}`,
});
const line = (all: ReturnType<typeof about>[], subject = "raised: a “quoted” thing") =>
  syslogLine({ id: "m-1", tells: "raise" }, { subject }, all, "halvik one", 1_790_000_000e6);

test("is RFC 5424 that our own reader takes apart: severity of the worst, id and links as structured data", () => {
  const text = line([about(7, "error"), about(8, "critical")]);
  expect(text).toMatch(/^<114>1 2026-09-21T14:13:20\.000000Z halvikone halvik - raise \[halvik@32473 id="m-1" /);
  const { content } = syslogRecord(new TextEncoder().encode(text), { receivedUs: 0, zone: "UTC", clockOffsetUs: 0 });
  expect(content).toMatchObject({ severity: 2, facility: 14, host: "halvikone", app: "halvik", event: "raise" });
  expect(content.text).toBe("raised: a “quoted” thing");
  expect(content.data.map(([, value]) => value)).toEqual([
    "m-1",
    "7",
    "https://halvik.example/incidents/7",
    "8",
    "https://halvik.example/incidents/8",
  ]);
});

test("what would end a value is escaped; a test is a notice", () => {
  const text = syslogLine({ id: 'a"]\\b', tells: "test" }, { subject: "s" }, [], "h", 0);
  expect(text).toContain('id="a\\"\\]\\\\b"]');
  expect(text).toMatch(/^<117>1 /);
});
