import { sharedOffsets } from "./index.js";

const S = 1_000_000;
type Told = Parameters<typeof sharedOffsets>[0][number];
const told = (sender: number, seconds: number, parts: Partial<Told>): Told => ({
  sender,
  timeUs: seconds * S,
  src: null,
  dst: null,
  srcPort: null,
  dstPort: null,
  protocol: null,
  app: null,
  text: "",
  ...parts,
});
const connection = (sender: number, seconds: number, port: number) =>
  told(sender, seconds, { src: "10.0.0.1", dst: "10.0.0.2", srcPort: port, dstPort: 443, protocol: 6 });
const message = (sender: number, seconds: number, text: string) => told(sender, seconds, { app: "sshd", text });

test("connections that two firewalls told of say how far the second one's clock was off", () => {
  const records = [1, 2, 3, 4].flatMap((n) => [connection(1, 100 * n, n), connection(2, 100 * n + 47 + n / 10, n)]);
  expect([...sharedOffsets(records, 1)]).toEqual([[2, { offsetUs: -47.25 * S, uncertaintyUs: 0.1 * S, events: 4 }]]);
  // the other way round
  expect(sharedOffsets(records, 2).get(1)?.offsetUs).toBe(47.25 * S);
});

test("messages that went two ways, too", () => {
  const records = [1, 2, 3].flatMap((n) => [
    message(1, n, `accepted key ${n} of k.lind from 10.0.0.9`),
    message(7, n - 2, `accepted key ${n} of k.lind from 10.0.0.9`),
  ]);
  expect(sharedOffsets(records, 1).get(7)).toEqual({ offsetUs: 2 * S, uncertaintyUs: 0, events: 3 });
});

test.each<[string, Told[]]>([
  ["two events may be a chance", [1, 2].flatMap((n) => [connection(1, n, n), connection(2, n + 9, n)])],
  [
    "what one told of twice is no event",
    [1, 2, 3].flatMap((n) => [connection(1, n, n), connection(1, n + 1, n), connection(2, n, n)]),
  ],
  [
    "short texts are said of many things",
    [1, 2, 3].flatMap((n) => [message(1, n, `up ${n}`), message(2, n + 9, `up ${n}`)]),
  ],
  ["events that do not agree", [1, 2, 3].flatMap((n) => [connection(1, n, n), connection(2, n + 100 * n, n)])],
  ["hours apart is another event", [1, 2, 3].flatMap((n) => [connection(1, n, n), connection(2, n + 7_200, n)])],
  ["one sender", [1, 2, 3].map((n) => connection(1, n, n))],
])("nothing is said where %s", (_, records) => expect([...sharedOffsets(records, 1)]).toEqual([]));
