import { spawn } from "node:child_process";
import { createSocket } from "node:dgram";
import { readFileSync } from "node:fs";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { shippedDir } from "../../kernel/files/shipped.js";
import { eventually } from "../../testing/test-database.js";
import type { Arrival } from "../intake/arrivals/arrival.js";
import { AsSender } from "./ways/as-sender.js";
import { RefusedForGood } from "./ways/way.js";

const isRoot = process.getuid?.() === 0;
/** CAP_NET_RAW (capabilities(7)), which root of a container may lack: with it a process sends from any address. */
const NET_RAW = 13n;
const effective = /^CapEff:\s+([0-9a-f]+)/m.exec(readFileSync("/proc/self/status", "utf8"))![1]!;
const mayAll = ((BigInt(`0x${effective}`) >> NET_RAW) & 1n) === 1n;

const from = (peer: string, text: string): Arrival => ({
  protocol: "flow",
  endpoint: "e",
  peer,
  receivedUs: 1_795_485_911_000_123,
  bytes: Buffer.from(text, "latin1"),
  held: false,
});

const ends: (() => void)[] = [];
afterEach(() => {
  for (const end of ends.splice(0)) end();
});

async function receiver(address: "127.0.0.1" | "::1") {
  const socket = createSocket({ type: address === "::1" ? "udp6" : "udp4", recvBufferSize: 4 * 1024 * 1024 });
  const got: string[] = [];
  const ports: number[] = [];
  socket.on("message", (m, { address: source, port }) => {
    got.push(`${source} ${m.toString("latin1")}`);
    ports.push(port);
  });
  await new Promise<void>((done) => socket.bind(0, address, done));
  ends.push(() => socket.close());
  return { got, ports, port: (socket.address() as AddressInfo).port };
}

function wayTo(address: string, port: number): AsSender {
  const way = new AsSender(address, port, (a) => a.bytes);
  ends.push(() => way.close());
  return way;
}

const all = (got: readonly string[], count: number) =>
  eventually(
    "all of them",
    async () => got.length,
    (n) => n >= count,
  );

test("each comes from the address of who sent it, octet for octet, in order, however many senders there are", async () => {
  const { got, port } = await receiver("127.0.0.1");
  const way = wayTo("127.0.0.1", port);
  // more than sockets are kept for, and the first ones again
  const senders = Array.from({ length: 700 }, (_, i) => `127.1.${i >> 8}.${i & 255 || 1}`);
  const arrivals = [...senders, ...senders.slice(0, 9)].map((s, i) => from(s, `${i} \u0000\u00ff\n`));
  await way.deliver(arrivals);
  await all(got, arrivals.length);
  expect(got).toEqual(arrivals.map((a, i) => `${a.peer} ${i} \u0000\u00ff\n`));
});

test("what nobody can send from comes from this machine's own address", async () => {
  const { got, port } = await receiver("127.0.0.1");
  const way = wayTo("127.0.0.1", port);
  const odd = ["2001:db8::7", "fe80::1%eth0", "224.0.0.1", "255.255.255.255", "not an address", ""];
  await way.deliver(odd.map((peer) => from(peer, "x")));
  await all(got, odd.length);
  expect(got).toEqual(odd.map(() => "127.0.0.1 x"));
});

test.each<["127.0.0.1" | "::1", string]>([
  ["127.0.0.1", "10.20.1.18"],
  ["::1", "2001:db8::7"],
])(
  "to %s from %s, which is another machine's: where the system permits it, else it is said what to do",
  async (to, peer) => {
    const { got, port } = await receiver(to);
    const way = wayTo(to, port);
    if (mayAll) {
      await way.deliver([from(peer, "a"), from(peer, "b")]);
      await all(got, 2);
      expect(got).toEqual([`${peer} a`, `${peer} b`]);
    } else await expect(way.deliver([from(peer, "a")])).rejects.toThrow(/HALVIK_FORWARD_AS_SENDER=true/);
  },
);

test("without the right to it the program says so of each, and sends from addresses that are this machine's", async () => {
  const { got, port } = await receiver("127.0.0.1");
  // as nobody in particular, whoever runs the tests; where they lie may not be nobody's to read
  const program = readFileSync(join(shippedDir("linux"), "send-as.pl"), "utf8");
  const perl = ["/usr/bin/perl", "-e", program, String(port), "127.0.0.1"];
  const asNobody = ["setpriv", "--reuid=65534", "--regid=65534", "--clear-groups", "--no-new-privs"];
  const [command, ...args] = isRoot ? [...asNobody, ...perl] : perl;
  const child = spawn(command!, args, { stdio: ["pipe", "pipe", "inherit"], cwd: "/" });
  ends.push(() => child.kill());
  let said = "";
  child.stdout.on("data", (b: Buffer) => {
    said += b.toString();
  });
  const frame = (source: string, text: string) => {
    const lengths = Buffer.alloc(4);
    lengths.writeUInt16BE(source.length, 0);
    lengths.writeUInt16BE(text.length, 2);
    return Buffer.concat([lengths, Buffer.from(source + text)]);
  };
  child.stdin.write(Buffer.concat([frame("10.20.1.18", "a"), frame("127.0.0.9", "b"), frame("10.20.1.19", "c")]));
  await eventually(
    "answers",
    async () => said,
    (s) => s.split("\n").length > 3,
  );
  expect(said).toBe("may not\nsent\nmay not\n");
  await all(got, 1);
  expect(got).toEqual(["127.0.0.9 b"]);
});

test("what is larger than a datagram is refused for good; a program that ended is begun again", async () => {
  const { got, ports, port } = await receiver("127.0.0.1");
  const way = wayTo("127.0.0.1", port);
  await way.deliver([from("127.0.0.5", "before")]);
  for (const octets of [65_508, 70_000])
    await expect(way.deliver([from("127.0.0.5", "x".repeat(octets))])).rejects.toThrow(RefusedForGood);
  // the same program goes on: what comes from one sender comes from one port
  await way.deliver([from("127.0.0.5", "between")]);
  await expect(way.deliver([from("1".repeat(65), "x")])).rejects.toThrow(/ended: an address is no longer/);
  await way.deliver([from("127.0.0.5", "after")]);
  await all(got, 3);
  expect(got).toEqual(["127.0.0.5 before", "127.0.0.5 between", "127.0.0.5 after"]);
  expect([ports[0] === ports[1], ports[0] === ports[2]]).toEqual([true, false]);
});

test("addresses of the link alone are never sent to", async () => {
  await expect(wayTo("169.254.1.1", 9).deliver([from("127.0.0.5", "x")])).rejects.toThrow(/of the link alone/);
});
