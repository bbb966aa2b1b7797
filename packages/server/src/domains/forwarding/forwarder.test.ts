import { createSocket } from "node:dgram";
import { existsSync, mkdirSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { eventually } from "../../testing/test-database.js";
import type { Arrival } from "../intake/arrivals/arrival.js";
import { ForwardTrouble } from "./forward-trouble.js";
import { Forwarder } from "./forwarder.js";
import { Forwarders } from "./forwarders.js";
import { Datagrams } from "./ways/datagrams.js";
import { RefusedForGood, type Way } from "./ways/way.js";

let directory: string;
let open: Forwarder[] = [];
beforeEach(() => {
  directory = mkdtempSync(join(tmpdir(), "halvik-forward-"));
  open = [];
});
afterEach(async () => {
  for (const f of open) await f.stop();
  rmSync(directory, { recursive: true, force: true });
});

const arrival = (text: string): Arrival => ({
  protocol: "syslog",
  endpoint: "e",
  peer: "10.0.0.1",
  receivedUs: 1_795_485_911_000_123,
  bytes: Buffer.from(text),
  held: false,
});
const batch =
  (...texts: string[]) =>
  () =>
    texts.map(arrival);
/** A receiver that takes what it is told to take. */
class Receiver implements Way {
  readonly got: string[] = [];
  down = false;
  closed = 0;
  constructor(private readonly poison: readonly string[] = []) {}
  async deliver(arrivals: readonly Arrival[]): Promise<void> {
    if (this.down) throw new Error("nobody listens");
    const texts = arrivals.map((a) => Buffer.from(a.bytes).toString());
    if (texts.some((t) => this.poison.includes(t))) throw new RefusedForGood("it answered 413");
    this.got.push(...texts);
  }
  close(): void {
    this.closed++;
  }
}
const forwarder = (receiver: Way, maxBytes = 8 * 1024 * 1024) => {
  const made = new Forwarder(1, directory, maxBytes, () => receiver);
  open.push(made);
  return made;
};
const soon = <T>(what: string, get: () => T, holds: (value: T) => boolean) =>
  eventually(what, async () => get(), holds);

test("in order and each once, however often a batch is tried", async () => {
  const receiver = new Receiver();
  const f = forwarder(receiver);
  for (let n = 1; n <= 40; n++) for (let tries = 0; tries < 2; tries++) await f.take(n, batch(`a${n}`, `b${n}`));
  await f.take(7, batch("late"));
  await soon(
    "all",
    () => receiver.got.length,
    (n) => n >= 80,
  );
  expect(receiver.got).toEqual(Array.from({ length: 40 }, (_, i) => [`a${i + 1}`, `b${i + 1}`]).flat());
  expect(f.status()).toMatchObject({ sent: 80, lost: 0, refused: 0 });
});

test("what is never taken is passed over alone, and counted; its neighbours go in their order", async () => {
  const receiver = new Receiver(["x", "y"]);
  const f = forwarder(receiver);
  await f.take(1, batch("1", "x", "2", "3", "y", "4"));
  await soon(
    "all",
    () => f.status(),
    (s) => s.sent + s.refused === 6,
  );
  expect(receiver.got).toEqual(["1", "2", "3", "4"]);
  expect(f.status()).toMatchObject({ sent: 4, refused: 2 });
});

test("while nobody listens it waits on disk, says since when and why, and another process goes on where it was", async () => {
  const receiver = new Receiver();
  const f = forwarder(receiver);
  await f.take(1, batch("before"));
  await soon(
    "before",
    () => receiver.got.length,
    (n) => n === 1,
  );
  receiver.down = true;
  await f.take(2, batch("while down"));
  await soon(
    "told",
    () => f.failingSince,
    (since) => since?.why === "nobody listens",
  );
  expect(f.status()).toMatchObject({ state: "trouble" });
  expect(f.status().queuedBytes).toBeGreaterThan(0);
  await f.stop();
  const back = new Receiver();
  const again = forwarder(back);
  // a batch that was queued before it was stored is tried again after the kill
  await again.take(2, batch("while down"));
  await again.take(3, batch("after"));
  await soon(
    "on",
    () => back.got.length,
    (n) => n >= 2,
  );
  expect(back.got).toEqual(["while down", "after"]);
  expect(again.failingSince).toBeNull();
});

test("a queue that is full loses what comes, counted; a choice that throws ends nothing", async () => {
  const receiver = new Receiver();
  receiver.down = true;
  const f = forwarder(receiver, 4_000);
  expect(await f.take(1, batch("x".repeat(2_000)))).toBe(0);
  expect(await f.take(2, batch("y".repeat(2_000), "z"))).toBe(2);
  expect(
    await f.take(3, () => {
      throw new Error("a choice");
    }),
  ).toBe(1);
  expect(f.status().lost).toBe(3);
  expect(f.status().detail).toMatch(/a choice|nobody listens/);
});

test("a datagram that is larger than one can be is refused for good, and the next one goes", async () => {
  const sink = createSocket("udp4");
  const got: number[] = [];
  sink.on("message", (m) => got.push(m.length));
  await new Promise<void>((done) => sink.bind(0, "127.0.0.1", done));
  const way = new Datagrams("127.0.0.1", sink.address().port, (a) => a.bytes);
  const f = forwarder(way);
  await f.take(1, batch("a", "b".repeat(70_000), "c"));
  await soon(
    "both",
    () => f.status(),
    (s) => s.sent === 2 && s.refused === 1,
  );
  await soon(
    "come",
    () => got.length,
    (n) => n >= 2,
  );
  sink.close();
  await expect(new Datagrams("169.254.1.1", 9, (a) => a.bytes).deliver([arrival("x")])).rejects.toThrow(
    /of the link alone/,
  );
});

test("queues of forwards that are gone go, and none while it is not known which there are", async () => {
  for (const name of ["forward-3", "forward-4", "spool"]) mkdirSync(join(directory, name));
  const all = new Forwarders(directory, 1_000_000, {
    nameOf: String,
    nameOfAddress: (a) => a,
    admitted: () => null,
  });
  const names = () => ["forward-3", "forward-4", "spool"].filter((n) => existsSync(join(directory, n)));
  await all.apply([], null);
  expect(names()).toEqual(["forward-3", "forward-4", "spool"]);
  await all.apply([], [4]);
  expect(names()).toEqual(["forward-4", "spool"]);
});

test("one that delivers nothing for a minute is told, again each half minute, until it does; what was lost is told once", () => {
  const trouble = new ForwardTrouble();
  const S = 1e6;
  let failing = [{ name: "north", us: 0, why: "nobody listens" }];
  let lost = new Map([["north", 12]]);
  const tell = (atS: number) => {
    const said = trouble.tell({ failing: () => failing, takeOverflow: () => lost }, atS * S);
    lost = new Map();
    return said.map((o) => o.event);
  };
  expect(tell(59)).toEqual(["records-lost"]);
  expect(tell(60)).toEqual(["forward-failing"]);
  expect(tell(75)).toEqual([]);
  expect(tell(91)).toEqual(["forward-failing"]);
  failing = [];
  expect(tell(125)).toEqual([]);
  // and anew when it fails anew
  failing = [{ name: "north", us: 200 * S, why: "again" }];
  expect(tell(261)).toEqual(["forward-failing"]);
});
