import type { HeldSummary, SenderList } from "@halvik/contract/senders";
import { bytes } from "../../../../../core/src/testing/bytes.js";
import { flowSet, ipfixMessage, templateBody } from "../../../../../core/src/testing/flow-bytes.js";
import { nowUs } from "../../../kernel/clock.js";
import { TestStore } from "../../../testing/test-store.js";
import type { Arrival } from "../arrivals/arrival.js";
import { holdRecords } from "../pipeline/held-repository.js";

let store: TestStore;
beforeAll(async () => {
  store = await TestStore.start();
}, 240_000);
afterAll(() => store?.dispose());

async function waiting(
  name: string,
  address: string,
  sent: readonly (readonly [Arrival["protocol"], string | Uint8Array])[],
): Promise<number> {
  const id = await store.addSender(name, null, [address]);
  await store.client.query("update sender set state = 'waiting', first_seen_us = $2 where id = $1", [id, nowUs()]);
  await holdRecords(
    store.client,
    sent.map(([protocol, raw], i) => ({
      sender: id,
      arrival: {
        protocol,
        endpoint: `${protocol} in`,
        peer: address,
        receivedUs: nowUs() - 3_600e6 + i * 60e6,
        bytes: Buffer.from(raw),
        held: true,
      },
    })),
  );
  return id;
}
const held = async (id: number): Promise<HeldSummary> => {
  const { status, body } = await store.api.get(`/senders/${id}/held`);
  expect(status).toBe(200);
  return body as HeldSummary;
};

test("what it sent is read as it would be stored, the latest first, and says what it probably is", async () => {
  const id = await waiting("10.20.9.1", "10.20.9.1", [
    ["syslog", "<38>sshd[7]: Accepted publickey for k.lind from 10.20.2.14 port 40000 ssh2"],
    ["syslog", "<13>systemd[1]: Started a job."],
    ["syslog", "<30>CRON[9]: \u0000\u001b[2J hostile"],
  ]);
  const summary = await held(id);
  expect(summary).toMatchObject({
    total: 3,
    // three in two minutes
    perDay: 2_160,
    ways: [{ endpoint: "syslog in", count: 3 }],
    kinds: [{ kind: "syslog", count: 3 }],
    unreadable: 0,
    guess: { family: "Linux machine" },
  });
  expect(summary.records.map((r) => r.says)[1]).toBe("Started a job.");
  // looking keeps nothing and takes nothing
  expect((await held(id)).total).toBe(3);
});

test("flows are read by their template; what cannot be read says why; one poisonous datagram hides nothing", async () => {
  const template = flowSet(
    2,
    templateBody(300, [
      [8, 4],
      [12, 4],
      [1, 4],
    ]),
  );
  const data = flowSet(300, bytes().ip("10.20.5.1").ip("10.20.1.1").u32(900).done());
  const head = (sequence: number) => ({ exportSeconds: Math.floor(nowUs() / 1e6), sequence, domain: 1 });
  const id = await waiting("10.20.9.2", "10.20.9.2", [
    ["flow", ipfixMessage(head(0), template)],
    ["flow", "not a flow"],
    ["snmp", "\u0030\u00ff"],
    ["flow", ipfixMessage(head(1), data)],
  ]);
  const summary = await held(id);
  expect(summary.kinds).toEqual(expect.arrayContaining([{ kind: "flow", count: 1 }]));
  expect(summary.unreadable).toBe(2);
  expect(summary.guess?.family).toMatch(/flow exporter/);
  expect(summary.records[0]!.says).toMatch(/10\.20\.5\.1/);
});

test("nothing held, and nobody", async () => {
  expect(await held(await waiting("10.20.9.3", "10.20.9.3", []))).toMatchObject({
    total: 0,
    perDay: null,
    guess: null,
  });
  expect((await store.api.get("/senders/999999/held")).status).toBe(404);
});

test("rules of admission are listed with what they let in, and can be taken back; who is admitted stays so", async () => {
  const late = await waiting("10.30.0.1", "10.30.0.1", []);
  await store.api.post("/senders/admit-network", { network: "10.30.0.0/16", fromNowOn: true });
  const list = async () => (await store.api.get("/senders")).body as SenderList;
  const [rule] = (await list()).networks;
  expect(rule).toMatchObject({ network: "10.30.0.0/16", by: "token actor", admitted: 1, later: 0 });
  const { body } = await store.api.delete(`/senders/networks/${rule!.id}`);
  expect((body as SenderList).networks).toEqual([]);
  expect((await list()).senders.find((s) => s.id === late)?.state).toBe("admitted");
  expect((await store.api.delete(`/senders/networks/${rule!.id}`)).status).toBe(404);
});
