import type { Portrait, PortraitNews, PortraitTraffic } from "@halvik/contract/portrait";
import { formatUs } from "@halvik/core/base/time";
import { type ContentDraft, emptyContent, type RecordKind } from "@halvik/core/model/record";
import { nowUs } from "../../kernel/clock.js";
import { BatchWriter } from "../../store/batches.js";
import { claimCollector } from "../../store/collectors.js";
import { indexNext } from "../../store/keeping/index-segments.js";
import { BindingKeeping, learnBindings, pruneBindings } from "../../store/keeping/learn-bindings.js";
import { TestStore } from "../../testing/test-store.js";
import { removeImport } from "../intake/imports/remove-import.js";

const S = 1e6;
const H = 3_600 * S;
const DAY = 24 * H;
/** A whole hour that has been over for some. */
const T = Math.floor(nowUs() / H) * H - 30 * H;
const FILES = "10.20.1.20";

let store: TestStore;
const senders = new Map<string, number>();
beforeAll(async () => {
  store = await TestStore.start();
  senders.set("files-2", await store.addSender("files-2", "Orvane", [FILES]));
  senders.set("net-1", await store.addSender("net-1"));
  senders.set("fw-1", await store.addSender("fw-1"));
  await store.client.query("insert into own_domain (domain, author, at_us) values ('orvane.example', 'test', 0)");
}, 240_000);
afterAll(() => store?.dispose());

const said = (sender: string, kind: RecordKind, atUs: number, parts: Partial<ContentDraft>) => ({
  sender: senders.get(sender)!,
  content: Object.assign(emptyContent(kind, atUs, atUs + S), parts),
});
const lease = (atUs: number, address: string, mac: string, name: string) =>
  said("net-1", "syslog", atUs, { app: "dhcpd", text: `DHCPACK on ${address} to ${mac} (${name}) via eth1` });
const logon = (atUs: number, user: string, src: string, outcome: "success" | "failure") =>
  said("files-2", "windows", atUs, {
    category: "logon",
    outcome,
    users: [user],
    src,
    host: "files-2.orvane.example",
    event: "4624",
  });
const flow = (
  atUs: number,
  src: string,
  dst: string,
  [srcPort, dstPort]: [number, number],
  bytes: number,
  flags = 27,
) =>
  said("fw-1", "flow", atUs, {
    category: "traffic",
    src,
    dst,
    srcPort,
    dstPort,
    protocol: 6,
    bytes,
    packets: Math.max(1, Math.ceil(bytes / 1_000)),
    flow: {
      startUs: atUs - 10 * S,
      ingress: 1,
      egress: 2,
      tos: 0,
      tcpFlags: flags,
      icmp: null,
      srcAs: null,
      dstAs: null,
      srcMask: null,
      dstMask: null,
      nextHop: null,
      vlan: null,
      direction: null,
      application: null,
      reverseBytes: 0,
      reversePackets: 0,
      samplingRate: 1,
      domain: 0,
      sequence: 0,
    },
  });
const learn = async () => {
  while (await learnBindings(store.keeper as never));
};
const ask = async <A>(path: string, query: string, from = T, to = T + 2 * H): Promise<A> => {
  const window = `from=${encodeURIComponent(formatUs(from))}&to=${encodeURIComponent(formatUs(to))}`;
  const answer = await store.api.get(`${path}?${window}&${query}`);
  expect(answer.body).not.toHaveProperty("error");
  return answer.body as A;
};
const of = (kind: string, value: string) => `kind=${kind}&value=${encodeURIComponent(value)}`;

test("who it is: addresses, machines and users with the records that say so, conflicting ones side by side", async () => {
  const mac = "02:00:5e:10:00:4d";
  await store.put([
    lease(T - 20 * DAY, "10.20.2.77", mac, "desk-77"),
    lease(T, "10.20.2.77", mac, "desk-77"),
    lease(T + H, "10.20.2.77", mac, "Desk-77.orvane.example"),
    lease(T + 0.5 * H, "10.20.2.77", "02:00:5e:66:66:66", "stranger"),
    lease(T + 1.5 * H, "10.20.2.77", "02:00:5e:66:66:66", "stranger"),
    logon(T + 10 * S, "k.lind@orvane.example", "10.20.2.77", "success"),
    logon(T + 20 * S, "K.LIND", "10.20.2.77", "success"),
  ]);
  await learn();
  await learn();
  const { bindings } = await ask<Portrait>("/portrait", of("address", "10.20.2.77"));
  const lines = bindings.map((b) => `${b.is} ${b.value} ${b.by} ×${b.count}${b.conflict ? " !" : ""}`).sort();
  expect(lines).toEqual([
    "host desk-77 lease ×1",
    "host desk-77 lease ×2 !",
    "host stranger lease ×2 !",
    "mac 02:00:5e:10:00:4d lease ×1",
    "mac 02:00:5e:10:00:4d lease ×2 !",
    "mac 02:00:5e:66:66:66 lease ×2 !",
    "user k.lind logon ×2",
  ]);
  const known = bindings.find((b) => b.value === mac && b.count === 2)!;
  expect([known.first!.time, known.last!.time]).toEqual([formatUs(T), formatUs(T + H)]);
  const record = await store.api.get(`/records/${known.first!.record}`);
  expect(record.body.record.text).toContain("DHCPACK on 10.20.2.77");
  // from the other end, in either spelling
  const user = await ask<Portrait>("/portrait", of("user", "K.Lind@orvane.example"));
  expect(user.bindings.map((b) => `${b.is} ${b.value}`).sort()).toEqual(["address 10.20.2.77", "host files-2"]);
  const host = await ask<Portrait>("/portrait", of("host", "DESK-77"));
  expect(host.addresses).toEqual(["10.20.2.77"]);
});

test("flows name the hardware that sent them; what sends from many addresses is a router and nobody's", async () => {
  const flows = (mac: string, ...addresses: readonly string[]) =>
    store.put(
      addresses.map((src) => {
        const { sender, content } = flow(T, src, "10.20.9.200", [40_000, 443], 1_000);
        return { sender, content: Object.assign(content, { data: [["sourceMacAddress", mac]] }) };
      }),
    );
  const own = "02:00:5e:20:00:01";
  const router = "02:00:5e:20:00:02";
  await flows(own, "10.20.8.1");
  await flows(router, "10.20.8.1", "10.20.8.2", "10.20.8.3");
  const learn = async () => {
    while (await learnBindings(store.client));
  };
  await learn();
  await flows(router, ...Array.from({ length: 30 }, (_, i) => `10.20.9.${i + 1}`));
  await learn();
  const { rows } = await store.client.query("select count(*)::int as n from binding where right_value = $1", [router]);
  expect(rows[0].n).toBe(5);
  const { bindings } = await ask<Portrait>("/portrait", of("address", "10.20.8.1"));
  expect(bindings.map((b) => `${b.is} ${b.value} ${b.by}`)).toEqual([`mac ${own} flow`]);
});

test("what an import says goes with it, what is old goes with its records, and nothing that fails holds up the rest", async () => {
  const { rows } = await store.client.query<{ id: number }>(
    "insert into job (name, state, started_us, updated_us) values ('old.log', 'done', 0, 0) returning id",
  );
  const job = rows[0]!.id;
  const claim = await claimCollector(store.client, "import-1", "import");
  const importer = new BatchWriter(store.client, claim.number, job);
  await store.put([lease(T - 300 * DAY, "10.20.2.78", "02:00:5e:10:00:4e", "desk-78")], importer);
  await learn();
  const count = async () =>
    (await store.client.query("select count(*)::int as n from binding where left_value = '10.20.2.78'")).rows[0].n;
  expect(await count()).toBe(2);
  await removeImport(store.client, job);
  await pruneBindings(store.keeper, 3_650, nowUs());
  expect(await count()).toBe(0);
  const before = (await store.client.query("select count(*)::int as n from binding")).rows[0].n;
  await pruneBindings(store.keeper, 10, nowUs());
  expect((await store.client.query("select count(*)::int as n from binding")).rows[0].n).toBe(before - 3);
  const dying = Object.assign(Object.create(store.keeper), {
    query: (...q: unknown[]) =>
      String(q[0]).includes("insert into binding (")
        ? Promise.reject(new Error("it will not take this"))
        : (store.keeper.query as (...q: unknown[]) => unknown).apply(store.keeper, q),
  });
  await store.put([lease(T + H, "10.20.2.79", "02:00:5e:10:00:4f", "desk-79")]);
  const keeping = new BindingKeeping(dying);
  const beat = async () => undefined;
  expect(await keeping.turn(beat)).toMatchObject({ more: false, told: [{ event: "bindings-not-learnt" }] });
  expect(await keeping.turn(beat)).toEqual({ more: false, told: [] });
  await learn();
  const { bindings } = await ask<Portrait>("/portrait", of("address", "10.20.2.79"));
  expect(bindings.length).toBe(2);
});

test("what it sends and receives, offers and uses; who logged on, what was decided, what is new: the same whether indexed or not", async () => {
  await store.put([
    ...Array.from({ length: 5 }, (_, i) => flow(T - 2 * DAY + i * H, FILES, "10.20.1.18", [50_000 + i, 53], 500)),
    logon(T - 3 * DAY, "a.solli", "10.20.2.30", "success"),
    flow(T + H, FILES, "203.0.113.9", [50_100, 443], 184_000_000),
    flow(T + H, FILES, "10.20.1.18", [50_101, 53], 900),
    flow(T + H, FILES, "10.20.4.7", [445, 50_200], 52_000_000),
    flow(T + H, "10.20.4.8", FILES, [50_201, 445], 120, 2),
    logon(T + H, "a.solli", "10.20.2.30", "success"),
    logon(T + H, "k.lind", "10.20.2.31", "success"),
    logon(T + H, "administrator", "10.20.4.31", "failure"),
    said("fw-1", "firewall", T + H, {
      src: "203.0.113.9",
      dst: FILES,
      action: "deny",
      data: [["policy", "edge-in-9"]],
    }),
  ]);
  const check = async () => {
    const portrait = await ask<Portrait>("/portrait", of("sender", "FILES-2.orvane.example"));
    expect(portrait).toMatchObject({ kind: "sender", value: "files-2", addresses: [FILES], partial: false });
    expect(portrait.logons.map((l) => [l.label, l.success, l.failure]).sort()).toEqual([
      ["a.solli", 1, 0],
      ["administrator", 0, 1],
      ["k.lind", 3, 0],
    ]);
    expect(portrait.decisions.map((d) => [d.action, d.label, d.count])).toEqual([["deny", "edge-in-9", 1]]);
    expect(portrait.firstSeen!.time).toBe(formatUs(T - 3 * DAY));
    const traffic = await ask<PortraitTraffic>("/portrait/traffic", `${of("address", FILES)}&patience=10`);
    expect(traffic.total).toEqual({ sent: 236_000_900, received: 120 });
    expect(traffic.peers.map((p) => [p.label, p.sent, p.received])).toEqual([
      ["203.0.113.9", 184_000_000, 0],
      ["10.20.4.7", 52_000_000, 0],
      ["10.20.1.18", 900, 0],
      ["10.20.4.8", 0, 120],
    ]);
    expect(traffic.offers.map((o) => [o.label, o.accepted, o.unanswered, o.clients])).toEqual([
      ["445 microsoft-ds", 1, 1, 2],
    ]);
    expect(traffic.uses.map((u) => u.label)).toEqual(["https", "domain"]);
    const news = await ask<PortraitNews>("/portrait/news", of("address", FILES));
    const fresh = news.rows.map((r) => `${r.what} ${r.label}`);
    expect(fresh).toContain("talks to 203.0.113.9");
    expect(fresh).toContain("user administrator");
    expect(fresh).not.toContain("talks to 10.20.1.18");
    expect(fresh).not.toContain("user a.solli");
    // each line finds its records
    for (const { filter, count } of [...portrait.logons, ...portrait.decisions, ...news.rows]) {
      const window = `from=${encodeURIComponent(formatUs(T))}&to=${encodeURIComponent(formatUs(T + 2 * H))}`;
      const { body } = await store.api.get(`/records?${window}&filter=${encodeURIComponent(filter)}`);
      expect([filter, body.records.length]).toEqual([filter, count]);
    }
  };
  await check();
  while (await indexNext(store.client as never, 100)) {}
  await check();
});

test.each([
  ["what is no address", "kind=address&value=nowhere", 400],
  ["an interface of nobody", "kind=interface&value=ge0", 400],
  ["no sender", "kind=sender&value=nobody", 404],
  ["a name that would be more of a filter", "kind=user&value=nobody%22%20or%20not%20%22", 200],
  ["a mark of direction", "kind=host&value=%E2%80%AE", 200],
  ["a name too long", `kind=user&value=${"x".repeat(401)}`, 400],
])("%s is answered as it should be", async (_, query, status) => {
  expect((await store.api.get(`/portrait?${query}`)).status).toBe(status);
});
