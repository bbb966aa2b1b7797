import { newSender } from "@halvik/core/model/senders";
import { IdSource } from "../../../store/record-id.js";
import type { Arrival } from "../arrivals/arrival.js";
import { SenderRegistry } from "../senders/registry.js";
import { countArrivals, decodeBatch } from "./decode-batch.js";
import { Decoders } from "./decoders.js";

const AT = 1_795_485_911_000_000;

/** NetFlow 5 ("NetFlow Export Datagram Format", tables B-3 and B-4): a header of 24 octets, then flows of 48. */
function netflow5(sequence: number, flows: number): Buffer {
  const bytes = Buffer.alloc(24 + 48 * flows);
  bytes.writeUInt16BE(5, 0);
  bytes.writeUInt16BE(flows, 2);
  bytes.writeUInt32BE(60_000, 4);
  bytes.writeUInt32BE(AT / 1e6, 8);
  bytes.writeUInt32BE(sequence, 16);
  for (let at = 24; at < bytes.length; at += 48) bytes.writeUInt32BE(1, at + 16);
  return bytes;
}

const line = "<13>Nov 24 10:00:00 host-1 app: one";

const arrival = (peer: string, protocol: Arrival["protocol"], bytes: Buffer, ms = 0): Arrival => ({
  ...{ protocol, peer, bytes, held: false },
  endpoint: protocol === "flow" ? "flows, NetFlow" : "syslog over UDP",
  receivedUs: AT + ms * 1_000,
});

test("what plainly is no syslog is stored with what it looks like, and sampled for who looks at the endpoint; lines of any form are not", () => {
  const registry = SenderRegistry.of([newSender(1, "sw-1", { addresses: ["192.0.2.1"] })], "UTC");
  const decoders = new Decoders();
  decoders.begin();
  const messages = [
    netflow5(1, 1),
    Buffer.from("306702010104062a2a", "hex"),
    Buffer.from("1603010200", "hex"),
    Buffer.from("GET / HTTP/1.1\r\nHost: x"),
    ...[line, '{"msg":"json"}', "<Event>", "no priority at all, and long", "34 <13>a: x", ""].map((l) =>
      Buffer.from(l),
    ),
  ];
  const options = { decoders, ids: new IdSource(1, 0), nowUs: AT, imported: false };
  const { records } = decodeBatch(
    messages.map((m) => arrival("192.0.2.1", "syslog", m)),
    registry,
    options,
  );
  const problems = records.slice(0, 4).map((r) => r.content.problem?.message);
  expect(problems).toEqual(
    ["NetFlow version 5", "SNMP", "the beginning of a TLS connection", "HTTP"].map((w) => `syslog: it looks like ${w}`),
  );
  expect(records.slice(4).map((r) => r.content.problem?.code)).not.toContain("NOT_SYSLOG");
  expect(decoders.strays.map((s) => s.arrival.bytes)).toEqual(messages.slice(0, 4));
  expect(decoders.undecodable).toEqual([]);
});

test("what came is counted in messages and in records, with what never came and what nobody can read", () => {
  const registry = SenderRegistry.of(
    [
      newSender(1, "rt-1", { addresses: ["192.0.2.1"] }),
      newSender(2, "refused", { addresses: ["192.0.2.2"], state: "refused" }),
      newSender(3, "waiting", { addresses: ["192.0.2.3"], state: "waiting" }),
      newSender(4, "relay", { addresses: ["192.0.2.4"], relay: true }),
    ],
    "UTC",
  );
  const decoders = new Decoders();
  const bytes = Buffer.from(line);
  const take = (arrivals: Arrival[]) => {
    decoders.begin();
    const options = { decoders, ids: new IdSource(1, 0), nowUs: AT, imported: false };
    const decoded = decodeBatch(arrivals, registry, options);
    countArrivals(arrivals, decoded, registry, decoders);
  };
  take([
    arrival("192.0.2.1", "flow", netflow5(100, 2)),
    // 102 to 104 never came; then one that came by another way and late
    arrival("192.0.2.1", "flow", netflow5(105, 1), 1),
    arrival("192.0.2.1", "flow", netflow5(50, 1), 2),
    arrival("192.0.2.1", "flow", Buffer.from("no flows at all"), 3),
    arrival("192.0.2.1", "syslog", bytes, 4),
    ...["192.0.2.2", "192.0.2.3", "192.0.2.9"].map((peer) => arrival(peer, "syslog", bytes, 5)),
    arrival("192.0.2.4", "syslog", bytes, 6),
  ]);
  const ways = (id: number) => Object.fromEntries(registry.get(id)!.ways);
  const zero = { refused: 0, late: 0, copies: 0, capped: 0 };
  const flows = { ...zero, messages: 4, records: 4, bytes: 3 * 24 + 4 * 48, problems: 1, numbered: 3, missed: 3 };
  const lines = { ...zero, messages: 1, records: 1, bytes: bytes.length, problems: 0, numbered: 0, missed: 0 };
  expect(ways(1)).toEqual({
    "flows, NetFlow": { ...flows, lastUs: AT + 3_000 },
    "syslog over UDP": { ...lines, lastUs: AT + 4_000 },
  });
  expect(registry.get(1)!.fresh).toEqual({
    ...{ ...zero, messages: 5, records: 5, bytes: flows.bytes + lines.bytes, problems: 1 },
    ...{ held: 0, heldRefused: 0 },
  });
  expect([ways(2), ways(3)]).toEqual([{}, {}]);
  expect(ways(4)).toMatchObject({ "syslog over UDP": { messages: 1, records: 1 } });
});
