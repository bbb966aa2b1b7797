import { Rule, shippedRules } from "@halvik/core/detect";
import { Cadence, SenderDirectory } from "@halvik/core/model/senders";
import { syslogRecord } from "@halvik/core/normalise";
import pg from "pg";
import { testRecord } from "../../../../../core/src/testing/record.js";
import { connectionOf, createPool } from "../../../kernel/db/pool.js";
import { addEvent } from "../../../kernel/db/unit-of-work.js";
import { BatchWriter } from "../../../store/batches.js";
import { claimCollector } from "../../../store/collectors.js";
import { IdSource } from "../../../store/record-id.js";
import { startTestInstance, type TestInstance } from "../../../testing/test-database.js";
import { clearEngineStopped, raiseEngineStopped } from "../../health/engine-stopped.js";
import { SelfWatch } from "../../health/watch-self.js";
import { watchSenders } from "../../health/watch-senders.js";
import { remind } from "../../incidents/remind.js";
import { acknowledge, closeIncident, mergeIncidents, splitIncident } from "../../incidents/repository.js";
import { loadSenders } from "../../intake/senders/repository.js";
import { forgetRuleFailure, noteRuleFailure } from "../failures-repository.js";
import { Care } from "./careful.js";
import { EngineSession } from "./session.js";

const S = 1e6;
const MINUTE = 60 * S;
let instance: TestInstance;
let client: pg.Client;
let writer: BatchWriter;
let ids: IdSource;
let number = 0;
/** Event time of the test: far enough from now that only the test's own clock counts. */
let T = 1_700_000_000 * S;

beforeAll(async () => {
  instance = await startTestInstance();
  client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
  const claim = await claimCollector(client, "test", "live");
  writer = new BatchWriter(client, claim.number, null);
  ids = new IdSource(claim.number, 0);
}, 240_000);
afterAll(async () => {
  await client?.end();
  await instance?.dispose();
});
beforeEach(() => {
  T += 48 * 3_600 * S;
});

/** Stores refused logons at these seconds after T, as one batch that arrived when the last of them happened. */
async function refused(
  src: string,
  seconds: readonly number[],
  { through = Math.max(0, ...seconds), late = false, user = "a", outcome = "failure" as "failure" | "success" } = {},
): Promise<void> {
  const records = seconds.map((s) => {
    const timeUs = T + s * S;
    return {
      id: ids.next(timeUs),
      sender: 1,
      endpoint: "t",
      copyOf: null,
      content: testRecord({
        timeUs,
        receivedUs: late ? T + through * S : timeUs,
        category: "logon",
        outcome,
        src,
        users: [user],
        marks: late ? ["late"] : [],
      }),
    };
  });
  await writer.commit({ number: ++number, records, throughUs: T + through * S, runRules: true }, T + through * S);
}
const quiet = (seconds: number) => refused("0.0.0.0", [], { through: seconds });
const open = () => EngineSession.open(client, "UTC", new Care());
const findings = async (src: string) =>
  (
    await client.query<{ count: number; first: number; last: number; cleared: number | null; incident: number }>(
      "select count, (first_us - $2) / 1000000 as first, (last_us - $2) / 1000000 as last, (cleared_us - $2) / 1000000 as cleared, incident from finding where key = $1 and first_us >= $2 order by first_us",
      [src, T],
    )
  ).rows;
const incident = async (id: number) =>
  (
    await client.query(
      "select state, count, returned, close_reason, new_since_seen, linked_to from incident where id = $1",
      [id],
    )
  ).rows[0];
const upTo = (n: number, step = 1, from = 0) => Array.from({ length: n }, (_, i) => from + i * step);

describe("the engine on a real store", () => {
  test("raises at the tenth, folds, clears by quiet when the watermark says so", async () => {
    const session = await open();
    await refused("10.0.0.1", upTo(9));
    await session.step();
    expect(await findings("10.0.0.1")).toEqual([]);
    await refused("10.0.0.1", upTo(5, 1, 9));
    await session.step();
    expect(await findings("10.0.0.1")).toMatchObject([{ count: 14, first: 0, last: 13, cleared: null }]);
    await quiet(13 + 900 + 60);
    await session.step();
    expect((await findings("10.0.0.1"))[0]!.cleared).toBeNull();
    await quiet(13 + 900 + 130);
    await session.step();
    const [finding] = await findings("10.0.0.1");
    expect(finding).toMatchObject({ count: 14, cleared: 913 });
    expect(await incident(finding!.incident)).toMatchObject({ state: "cleared", count: 14 });
  });

  test("a session thrown away and opened again before every step comes to the same findings", async () => {
    const batches = [upTo(6), upTo(7, 2, 7), upTo(4, 100, 60), [1500], upTo(12, 1, 2000), [4000]];
    const one = await open();
    for (const b of batches) {
      await refused("10.0.0.2", b);
      await one.step();
    }
    const straight = (await findings("10.0.0.2")).map(({ incident: _, ...f }) => f);
    T += 48 * 3_600 * S;
    for (const b of batches) {
      await refused("10.0.0.3", b);
      await (await open()).step();
    }
    await (await open()).step();
    const crashed = (await findings("10.0.0.3")).map(({ incident: _, ...f }) => f);
    // an open finding's growth may be written up to two seconds later; nothing else may differ
    expect(crashed.map((f) => [f.first, f.last])).toEqual(straight.map((f) => [f.first, f.last]));
    expect(crashed.length).toBe(2);
  });

  test("whom a guess let in stays whom it let in, however much was tried before and comes after", async () => {
    for (const [i, user] of ["oracle", "root"].entries()) await refused("10.0.0.44", upTo(8, 1, i * 8), { user });
    await (await open()).step();
    await refused("10.0.0.44", [20], { user: "k.lind", outcome: "success" });
    await (await open()).step();
    const title = async () =>
      (
        await client.query<{ title: string }>(
          "select i.title from incident i join finding f on f.incident = i.id where f.key = '10.0.0.44' and f.first_us >= $1 limit 1",
          [T],
        )
      ).rows[0]!.title;
    expect(await title()).toContain("was let in as k.lind");
    await refused("10.0.0.44", upTo(20, 1, 30), { user: "oracle" });
    await refused("10.0.0.44", [60], { user: "k.lind", outcome: "success" });
    await (await open()).step();
    expect(await title()).toContain("was let in as k.lind");
  });

  test("closed as fixed returns; closed as expected starts a new, linked one", async () => {
    const session = await open();
    await refused("10.0.0.4", upTo(10));
    await session.step();
    const first = (await findings("10.0.0.4"))[0]!.incident;
    expect(await closeIncident(client, first, "fixed", T + 20 * S)).toBe(true);
    await session.step();
    expect((await findings("10.0.0.4"))[0]!.cleared).toBe(20);
    await refused("10.0.0.4", upTo(10, 1, 400));
    await session.step();
    expect(await incident(first)).toMatchObject({ state: "open", returned: 1, count: 20, close_reason: null });
    await closeIncident(client, first, "expected", T + 450 * S);
    await session.step();
    await refused("10.0.0.4", upTo(10, 1, 900));
    await session.step();
    const all = await findings("10.0.0.4");
    expect(all).toHaveLength(3);
    expect(await incident(all[2]!.incident)).toMatchObject({ state: "open", linked_to: first });
  });

  test("acknowledged: repeats stay quiet, a name not seen before is new since seen", async () => {
    const session = await open();
    await refused("10.0.0.5", upTo(10));
    await session.step();
    const id = (await findings("10.0.0.5"))[0]!.incident;
    await acknowledge(client, id, "me", T);
    await new Promise((r) => setTimeout(r, 2_100));
    await refused("10.0.0.5", upTo(3, 1, 20));
    await session.step();
    expect(await incident(id)).toMatchObject({ count: 13, new_since_seen: [] });
    await new Promise((r) => setTimeout(r, 2_100));
    await refused("10.0.0.5", [30], { user: "b" });
    await session.step();
    expect((await incident(id)).new_since_seen).toEqual(["user\u0001b"]);
  });

  test("a record that comes late is added to the finding it belongs to, visibly, and makes no second one", async () => {
    const session = await open();
    await refused("10.0.0.6", upTo(10, 10));
    await session.step();
    await refused("10.0.0.6", [45, 55], { through: 800, late: true });
    await session.step();
    const all = await findings("10.0.0.6");
    expect(all).toMatchObject([{ count: 12 }]);
    const { rows } = await client.query("select detail from incident_event where incident = $1 and code = 'amended'", [
      all[0]!.incident,
    ]);
    expect(rows).toEqual([{ detail: "2 records that came late were added" }]);
  });
});

describe("silence of senders (semantics 12)", () => {
  const silence = async (nowUs: number) =>
    watchSenders(client, new SenderDirectory(await loadSenders(client, "UTC")), nowUs);
  const heard = (sender: number, lastUs: number, cadence: object | null = null) =>
    client.query(
      "insert into sender_activity (sender, last_heard_us, cadence) values ($1, $2, $3) on conflict (sender) do update set last_heard_us = $2",
      [sender, lastUs, cadence === null ? null : JSON.stringify(cadence)],
    );
  const collector = (nowUs: number, detail: object = {}, node = "main", startedUs = 0) =>
    client.query(
      "insert into role_status (role, pid, started_us, heartbeat_us, detail, node) values ('collector', 1, $4, $1, $2, $3) on conflict (role, node) do update set heartbeat_us = $1, detail = $2, started_us = $4",
      [nowUs, JSON.stringify(detail), node, startedUs],
    );

  test("told once, explained by the uplink, and over when heard again", async () => {
    await client.query(
      "insert into sender (id, name, state, expected_every_seconds, reached_through) values (101, 'uplink', 'admitted', 60, null), (102, 'behind', 'admitted', 60, 101), (103, 'learnt', 'admitted', null, null), (104, 'unknown', 'admitted', null, null)",
    );
    const cadence = new Cadence();
    for (let i = 0; i < 200; i++) cadence.observe(i * 10 * S);
    for (const id of [101, 102, 104]) await heard(id, T);
    await heard(103, T, cadence.save());
    await collector(T + 2 * MINUTE);
    expect(await silence(T + 2 * MINUTE)).toEqual([]);
    await collector(T + 6 * MINUTE);
    const told = await silence(T + 6 * MINUTE);
    expect(told.map((o) => [o.subject, o.outcome])).toEqual([
      ["uplink", "failure"],
      ["behind", "unknown"],
      ["learnt", "failure"],
    ]);
    expect(told[1]!.text).toContain("Explained by uplink");
    expect(told[2]!.text).toContain("it usually speaks every 16 s");
    expect(await silence(T + 6 * MINUTE)).toEqual([]);
    await heard(101, T + 6 * MINUTE);
    expect((await silence(T + 6 * MINUTE + S)).map((o) => [o.event, o.subject])).toEqual([["sender-heard", "uplink"]]);
  });

  test("while the collector spools or is gone, nothing is said of senders", async () => {
    await heard(101, T - 60 * MINUTE);
    await collector(T, { spooling: true });
    expect(await silence(T)).toEqual([]);
    await collector(T - MINUTE);
    expect(await silence(T)).toEqual([]);
  });

  test("of several collectors one that spools, is away or has just begun is waited for; one that was stopped, or is gone for good, is not", async () => {
    await client.query("delete from sender_silence");
    await heard(101, T - 60 * MINUTE);
    await collector(T);
    const other = (lastSignUs: number, detail: object = {}, startedUs = 0) =>
      collector(lastSignUs, detail, "second", startedUs);
    await other(T, { spooling: true });
    expect(await silence(T)).toEqual([]);
    await other(T - MINUTE);
    expect(await silence(T)).toEqual([]);
    await other(T, {}, T - MINUTE);
    expect(await silence(T)).toEqual([]);
    await other(T - MINUTE, { stopped: true });
    expect((await silence(T)).map((o) => o.subject)).toContain("uplink");
    await client.query("delete from sender_silence");
    await other(T - 11 * MINUTE, { spooling: true });
    expect((await silence(T)).map((o) => o.subject)).toContain("uplink");
    await client.query("delete from role_status");
  });
});

test("Halvik's own troubles: a stopped role, told once and when it is back; little disk; lag; refused sign-ins", async () => {
  await client.query("delete from role_status");
  const beat = (heartbeatUs: number) =>
    client.query(
      "insert into role_status (role, pid, started_us, heartbeat_us) values ('web', 1, 0, $1) on conflict (role, node) do update set heartbeat_us = $1",
      [heartbeatUs],
    );
  const watch = new SelfWatch(instance.config.HALVIK_DATA_DIR, Number.MAX_SAFE_INTEGER);
  const look = async (nowUs: number, throughUs = nowUs) =>
    (await watch.look(client, { throughUs, isAll: false }, nowUs)).map((o) => `${o.event} ${o.subject}`);
  await beat(T);
  expect(await look(T)).toEqual([`disk-low ${instance.config.HALVIK_DATA_DIR}`]);
  expect(await look(T + 20 * S)).toEqual(["role-stopped web"]);
  expect(await look(T + 21 * S)).toEqual([]);
  await beat(T + 22 * S);
  expect(await look(T + 22 * S)).toEqual(["role-back web"]);
  expect(await look(T + 23 * S, T - 2 * MINUTE)).toEqual(["engine-behind engine"]);
  // rules are with what is stored: it is what arrives that waits
  const waiting = new SelfWatch(instance.config.HALVIK_DATA_DIR, 0);
  const seen = { throughUs: T - 2 * MINUTE, isAll: true };
  const [late] = await waiting.look(client, seen, T + 23 * S);
  expect(late).toMatchObject({ event: "engine-behind", subject: "intake", text: expect.stringContaining("on disk") });
  // all of Halvik was off for an hour: its roles come back one after another, and one that does not is told
  const later = new SelfWatch(instance.config.HALVIK_DATA_DIR, 0);
  const lookLater = async (nowUs: number) =>
    (await later.look(client, { throughUs: nowUs, isAll: true }, nowUs)).map((o) => `${o.event} ${o.subject}`);
  expect(await lookLater(T + 3_600 * S)).toEqual([]);
  expect(await lookLater(T + 3_610 * S)).toEqual([]);
  expect(await lookLater(T + 3_616 * S)).toEqual(["role-stopped web"]);
  await client.query(
    "insert into audit (at_us, who, what, detail) values ($1, 'mallory', 'sign-in refused', '{\"address\": \"192.0.2.9\"}')",
    [T],
  );
  expect(await look(T + 24 * S)).toEqual(["sign-in-refused 192.0.2.9"]);
  // one that came while no engine looked is told by the next, and no earlier one again
  const told = watch.auditThrough;
  await client.query(
    "insert into audit (at_us, who, what, detail) values ($1, 'mallory', 'sign-in refused', '{\"address\": \"192.0.2.10\"}')",
    [T],
  );
  const next = new SelfWatch(instance.config.HALVIK_DATA_DIR, 0, told);
  const subjects = async () => (await next.look(client, { throughUs: T, isAll: false }, T)).map((o) => o.subject);
  expect(await subjects()).toEqual(["192.0.2.10"]);
  expect(await subjects()).toEqual([]);
  // what lasts is repeated, also by a clock that was set back: its quiet would say that it is over
  await beat(T);
  const full = new SelfWatch(instance.config.HALVIK_DATA_DIR, Number.MAX_SAFE_INTEGER, next.auditThrough);
  const says = async (nowUs: number) =>
    (await full.look(client, { throughUs: nowUs, isAll: false }, nowUs)).map((o) => o.event);
  expect(await says(T)).toEqual(["disk-low"]);
  expect(await says(T + S)).toEqual([]);
  expect(await says(T - 3_600 * S)).toEqual(["disk-low"]);
  expect(await says(T - 3_599 * S)).toEqual([]);
});

describe("joining on a real store", () => {
  const message = (seconds: number, sender: number, text: string) => {
    const timeUs = T + seconds * S;
    const { content } = syslogRecord(Buffer.from(text), { receivedUs: timeUs, zone: "UTC", clockOffsetUs: 0 });
    return { id: ids.next(timeUs), sender, endpoint: "t", copyOf: null, content: { ...content, timeUs } };
  };
  const store = (records: ReturnType<typeof message>[], through: number) =>
    writer.commit({ number: ++number, records, throughUs: T + through * S, runRules: true }, T + through * S);
  const incidents = async () =>
    (
      await client.query<{
        id: number;
        title: string;
        rules: string[];
        count: number;
        parent: number | null;
        folded: boolean;
      }>(
        "select i.id, i.title, i.count, i.parent, i.folded, array(select distinct f.rule_id from finding f where f.incident = i.id order by 1) as rules from incident i where i.first_us >= $1 and i.merged_into is null order by i.id",
        [T],
      )
    ).rows;

  test("a chain over hosts is one incident, named by the worst of it, with the reason of each link", async () => {
    await client.query(
      "insert into sender (id, name, state) values (201, 'edge', 'admitted'), (202, 'inner', 'admitted') on conflict do nothing",
    );
    const session = await open();
    const from = "203.0.113.201";
    await store(
      [
        ...Array.from({ length: 12 }, (_, i) =>
          message(i, 201, `<38>sshd[1]: Failed password for jo.berg from ${from} port 1 ssh2`),
        ),
        message(30, 201, `<38>sshd[1]: Accepted password for jo.berg from ${from} port 1 ssh2`),
        ...[0, 1, 2].map((i) => message(60 + i * 5, 202, "<34>su: 'su root' failed for jo.berg on /dev/pts/1")),
      ],
      600,
    );
    while (await session.step()) {}
    const [one, ...others] = await incidents();
    expect(others).toEqual([]);
    expect(one).toMatchObject({
      title: `${from} was let in as jo.berg after many refused logons`,
      rules: ["guessed-then-in", "privilege-refused", "refused-logons"],
    });
    const { rows } = await client.query("select joined from finding where incident = $1 and joined <> '' order by id", [
      one!.id,
    ]);
    expect(rows.map((r) => r.joined)).toEqual(expect.arrayContaining([expect.stringContaining("same user jo.berg")]));
    // a person takes one out, and merges it back
    const { rows: finding } = await client.query<{ id: number }>(
      "select id from finding where incident = $1 and rule_id = 'privilege-refused'",
      [one!.id],
    );
    const pool = createPool(connectionOf(instance.config, instance.secrets, "owner"), 2, 10_000);
    const own = await splitIncident(pool, one!.id, [finding[0]!.id], { title: "apart", severity: 3 }, true);
    expect(await incidents()).toMatchObject([{ rules: ["guessed-then-in", "refused-logons"] }, { id: own, count: 3 }]);
    await mergeIncidents(client, own!, one!.id, "merged by hand", true);
    expect(await incidents()).toMatchObject([{ id: one!.id, rules: one!.rules, count: one!.count }]);
    await pool.end();
  });

  test("an account that an intruder makes on a Linux host is of the intrusion, however soon it follows", async () => {
    await client.query("insert into sender (id, name, state) values (203, 'kiosk', 'admitted') on conflict do nothing");
    const session = await open();
    const [from, sudo] = ["203.0.113.203", "<85>sudo:   elin : TTY=pts/3 ; PWD=/ ; USER=root ; COMMAND="];
    await store(
      [
        ...Array.from({ length: 12 }, (_, i) =>
          message(i, 203, `<38>sshd[1]: Failed password for elin from ${from} port 1 ssh2`),
        ),
        message(30, 203, `<38>sshd[1]: Accepted password for elin from ${from} port 1 ssh2`),
        message(60, 203, `${sudo}/usr/sbin/useradd -m svc-203`),
        message(
          60.01,
          203,
          "<86>useradd[2]: new user: name=svc-203, UID=1002, GID=1002, home=/home/svc, shell=/bin/sh",
        ),
        message(60.02, 203, `${sudo}/usr/sbin/usermod -aG sudo svc-203`),
        message(60.03, 203, "<86>usermod[3]: add 'svc-203' to group 'sudo'"),
        message(62, 203, "<38>sshd[4]: Accepted password for svc-203 from 10.0.0.9 port 1 ssh2"),
      ],
      600,
    );
    while (await session.step()) {}
    const [one, ...others] = await incidents();
    expect(others).toEqual([]);
    expect(one).toMatchObject({
      title: `${from} was let in as elin after many refused logons`,
      rules: expect.arrayContaining(["account-made-privileged-used", "group-joined", "guessed-in-privileged"]),
    });
  });

  test("a storm is one incident with its count", async () => {
    const session = await open();
    for (let part = 0; part < 5; part++)
      await store(
        Array.from({ length: 2_000 }, (_, i) =>
          message(part * 20 + i / 100, 201, `<38>sshd[1]: Failed password for root from 203.0.113.202 port ${i} ssh2`),
        ),
        part * 20 + 20,
      );
    await quiet(1_200);
    while (await session.step()) {}
    expect(await incidents()).toMatchObject([{ count: 10_000, rules: ["refused-logons"] }]);
  });

  test("a cause that is found later takes what it explains under it", async () => {
    await client.query(
      "insert into sender (id, name, state, reached_through) values (211, 'core', 'admitted', null), (212, 'far-router', 'admitted', 211) on conflict do nothing",
    );
    const session = await open();
    await store(
      [
        message(0, 211, "<187>Interface te1/30, changed state to down"),
        message(3, 212, "<188>ospf: adjacency with 10.0.0.3 went from full to down"),
      ],
      10,
    );
    await session.step();
    expect(await incidents()).toMatchObject([{ rules: ["adjacency-lost"] }]);
    await quiet(600);
    while (await session.step()) {}
    const [consequence, cause] = await incidents();
    expect(cause).toMatchObject({ title: "te1/30 of core is down", rules: ["uplink-down"] });
    expect(consequence).toMatchObject({ rules: ["adjacency-lost"], parent: cause!.id, folded: true });
  });
});

test("what a rule raises within a time it is expected is shelved until that is over", async () => {
  const { rows } = await client.query<{ body: object; version: number }>(
    "select body from rule where id = 'refused-logons'",
  );
  const write = (body: object) =>
    client.query("update rule set body = $1 where id = 'refused-logons'", [JSON.stringify(body)]);
  await write({ ...rows[0]!.body, shelve: [{ days: [], from: "00:00", to: "00:00", why: "drill" }] });
  const session = await open();
  await refused("203.0.113.243", upTo(10));
  await session.step();
  const { rows: shelved } = await client.query(
    "select shelved_until_us, shelved_why from incident where key = '203.0.113.243' and first_us >= $1",
    [T],
  );
  const midnight = (Math.floor(T / (24 * 3_600 * S)) + 1) * 24 * 3_600 * S;
  expect(shelved).toEqual([{ shelved_until_us: midnight, shelved_why: "drill" }]);
  await write(rows[0]!.body);
});

test("what lasts unseen is told again after the time its rule says, and not once it was seen or shelved", async () => {
  const { rows } = await client.query<{ id: number }>(
    "insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count) values ('t', 3, 'open', 'on-battery', 1, 'k', $1, $1, $1, 4) returning id",
    [T],
  );
  const id = rows[0]!.id;
  await addEvent(client, id, T, "Halvik", "raised", "");
  const rule = shippedRules().find((r) => r.id === "on-battery")!;
  const reminders = async () =>
    (await client.query("select 1 from incident_event where incident = $1 and code = 'still-lasts'", [id])).rowCount;
  const rules = new Map([[rule.id, rule]]);
  await remind(client, rules, T + 599 * S);
  expect(await reminders()).toBe(0);
  await remind(client, rules, T + 600 * S);
  await remind(client, rules, T + 700 * S);
  expect(await reminders()).toBe(1);
  await client.query("update incident set shelved_until_us = $2 where id = $1", [id, T + 9_000 * S]);
  await remind(client, rules, T + 1_300 * S);
  expect(await reminders()).toBe(1);
  await remind(client, rules, T + 9_001 * S);
  expect(await reminders()).toBe(2);
  await acknowledge(client, id, "me", T);
  await remind(client, rules, T + 20_000 * S);
  expect(await reminders()).toBe(2);
});

test("a rule whose kind was changed while it remembered something begins anew; the engine starts", async () => {
  const session = await open();
  await refused("203.0.113.240", [0, 10]);
  await session.step();
  // past the watermark: it is kept
  await quiet(200);
  while (await session.step()) {}
  const kept = async () =>
    (await client.query("select 1 from engine_state where rule_id = 'refused-logons' and key = '203.0.113.240'"))
      .rowCount;
  expect(await kept()).toBe(1);
  const { rows } = await client.query<{ body: object }>("select body from rule where id = 'refused-logons'");
  const change = (body: object) =>
    client.query("update rule set body = $1, version = version + 1 where id = 'refused-logons'", [
      JSON.stringify(body),
    ]);
  await change({ ...rows[0]!.body, kind: "distinct", of: "user", count: 2 });
  const again = await open();
  expect(await kept()).toBe(0);
  await refused("203.0.113.240", [210], { user: "x" });
  await refused("203.0.113.240", [220], { user: "y" });
  while (await again.step()) {}
  expect((await findings("203.0.113.240")).map((f) => f.count)).toEqual([2]);
  await change(rows[0]!.body);
});

test("what was stored between a rule's edit and the engine's next look is the new version's to raise on", async () => {
  const session = await open();
  await refused("203.0.113.242", [0, 1, 2]);
  while (await session.step()) {}
  const { rows } = await client.query<{ body: object }>("select body from rule where id = 'refused-logons'");
  const change = (body: object) =>
    client.query("update rule set body = $1, version = version + 1 where id = 'refused-logons'", [
      JSON.stringify(body),
    ]);
  await change({ ...rows[0]!.body, count: 5 });
  await refused("203.0.113.242", [10, 11]);
  while (await session.step()) {}
  expect((await findings("203.0.113.242")).map((f) => f.count)).toEqual([5]);
  await change(rows[0]!.body);
  while (await session.step()) {}
});

test("a rule edited while it has a finding open: the version before clears it, a restart between", async () => {
  const session = await open();
  const later = (s: number) => 5_000 + s;
  await refused(
    "203.0.113.241",
    Array.from({ length: 10 }, (_, i) => later(i)),
  );
  await quiet(later(200));
  while (await session.step()) {}
  expect((await findings("203.0.113.241")).map((f) => f.count)).toEqual([10]);
  const { rows } = await client.query<{ body: { count: number }; version: number }>(
    "select body, version from rule where id = 'refused-logons'",
  );
  const write = async (count: number) => {
    const { rows: changed } = await client.query<{ version: number; body: unknown }>(
      "update rule set body = $1, version = version + 1 where id = 'refused-logons' returning version, body",
      [JSON.stringify({ ...rows[0]!.body, count })],
    );
    // what routes/rules.ts does beside it
    await client.query(
      "insert into rule_version (id, version, body, author, changed_us) values ('refused-logons', $1, $2, 'me', $3)",
      [changed[0]!.version, JSON.stringify(changed[0]!.body), T + later(201) * S],
    );
  };
  await client.query(
    "insert into rule_version (id, version, body, author, changed_us) values ('refused-logons', $1, $2, 'me', 0) on conflict do nothing",
    [rows[0]!.version, JSON.stringify(rows[0]!.body)],
  );
  await write(9);
  while (await session.step()) {}
  const again = await open();
  await refused("203.0.113.241", [later(210)]);
  while (await again.step()) {}
  expect((await findings("203.0.113.241")).map((f) => [f.count, f.cleared])).toEqual([[11, null]]);
  await quiet(later(2_000));
  while (await again.step()) {}
  const [cleared] = await findings("203.0.113.241");
  expect(cleared!.cleared).toBe(later(209 + 901));
  const { rows: left } = await client.query("select distinct logic from engine_state where rule_id = 'refused-logons'");
  expect(left.length).toBeLessThan(2);
  await write(10);
  while (await again.step()) {}
});

describe("imports", () => {
  let importer: pg.Client;
  beforeEach(async () => {
    importer = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
    await importer.connect();
  });
  afterEach(() => importer.end());

  /** Logons at these seconds after T, brought by an import under a number of its own, batch by batch. */
  async function beginImport(name: string) {
    const claim = await claimCollector(importer, name, "import");
    const imports = new BatchWriter(importer, claim.number, null);
    const own = new IdSource(claim.number, 0);
    let n = 0;
    return (seconds: readonly number[], logon: { outcome: "failure" | "success"; src: string; user?: string }) =>
      imports.commit(
        {
          number: ++n,
          records: seconds.map((s) => ({
            id: own.next(T + s * S),
            sender: 1,
            endpoint: "t",
            copyOf: null,
            content: testRecord({
              timeUs: T + s * S,
              receivedUs: T + s * S,
              category: "logon",
              outcome: logon.outcome,
              src: logon.src,
              users: [logon.user ?? "a"],
            }),
          })),
          throughUs: T + Math.max(...seconds) * S,
          runRules: true,
        },
        T,
      );
  }

  test("one that begins with an older capture than the one before it under its number shares nothing with it", async () => {
    const bring = await beginImport("import test");
    const src = "203.0.113.244";
    // seven of the eight refusals it takes, at the end of the first capture
    await bring(upTo(7, 1, 80_000), { outcome: "failure", src });
    // the second one is of the day before: one refusal and a logon are no guessing; both in one step with the first
    await bring([10], { outcome: "failure", src });
    await bring([20], { outcome: "success", src });
    const session = await open();
    while (await session.step()) {}
    expect(await findings(src)).toEqual([]);
    // eight within the second capture are
    await bring(upTo(8, 1, 100), { outcome: "failure", src });
    await bring([130], { outcome: "success", src });
    while (await session.step()) {}
    await (await open()).step();
    expect((await findings(src)).map((f) => [f.first, f.last])).toEqual([[100, 130]]);
  });

  test("what is heard while one runs is told of once: ids of collectors lie between one another", async () => {
    const bring = await beginImport("import beside");
    const [heard, imported] = ["203.0.113.246", "203.0.113.247"];
    const session = await open();
    await refused(heard, upTo(12, 1, 5));
    await bring(upTo(14, 2), { outcome: "failure", src: imported });
    await quiet(60);
    while (await session.step()) {}
    for (const [src, count] of [
      [heard, 12],
      [imported, 14],
    ] as const)
      expect((await findings(src)).map((f) => f.count)).toEqual([count]);
  });

  test("what stands open is left to the live clock only when the import is over; what it learnt is known from then on", async () => {
    const learner = {
      kind: "first",
      id: "new-account",
      name: "N",
      severity: "notice",
      title: "{user}",
      clear: { by: "quiet", seconds: 60 },
    };
    const body = { ...learner, filter: "category is logon", key: ["user"], unseenDays: 30, learningDays: 3 };
    await client.query("insert into rule (id, version, body, author, changed_us) values ($1, 1, $2, 'me', 0)", [
      body.id,
      JSON.stringify(Rule.parse(body)),
    ]);
    const DAY = 86_400;
    const session = await open();
    const bring = await beginImport("import of history");
    const src = "203.0.113.245";
    await bring([0, 4 * DAY], { outcome: "success", src, user: "regular" });
    await bring([5 * DAY], { outcome: "success", src, user: "seen-in-history" });
    T += 5 * DAY * S;
    await quiet(300);
    while (await session.step()) {}
    const lanes = async (key: string) =>
      (
        await client.query("select lane from engine_state where rule_id = 'new-account' and key = $1 order by lane", [
          key,
        ])
      ).rows.map((r) => r.lane.replace(/[\d.]+$/, ""));
    expect(await lanes("regular")).toEqual(["import "]);
    await importer.end();
    importer = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
    await importer.connect();
    await quiet(310);
    while (await session.step()) {}
    expect(await lanes("regular")).toEqual(["live"]);
    await refused("203.0.113.246", [320], { user: "regular" });
    await refused("203.0.113.246", [330], { user: "never-seen" });
    const again = await open();
    while (await again.step()) {}
    const { rows } = await client.query("select key from finding where rule_id = 'new-account' order by first_us");
    expect(rows.map((r) => r.key)).toEqual(["seen-in-history", "never-seen"]);
    await client.query("delete from rule where id = 'new-account'");
  });
});

describe("a clock that is set", () => {
  const counts = async (src: string) => (await findings(src)).map((f) => f.count);

  test("back by a day: bursts raise at once again, nothing is counted twice, what stood open is not forgotten", async () => {
    T += 100 * 24 * 3_600 * S;
    const lead = T;
    let session = await open();
    await refused("10.9.0.1", upTo(12));
    await quiet(600);
    await session.step();
    expect(await counts("10.9.0.1")).toEqual([12]);
    const { incident: first } = (await findings("10.9.0.1"))[0]!;
    T = lead - 24 * 3_600 * S;
    await refused("10.9.0.2", upTo(12));
    await session.step();
    expect(await counts("10.9.0.2")).toEqual([12]);
    await refused("10.9.0.2", upTo(3, 1, 20));
    await session.step();
    // all is read back by a new session: what was before the setting of the clock belongs to its own lane
    session = await open();
    while (await session.step()) {}
    await quiet(60);
    await session.step();
    expect(await counts("10.9.0.2")).toEqual([15]);
    expect(session.liveThroughUs).toBe(T + 60 * S);
    const ended = async (id: number) =>
      (await client.query<{ state: string }>("select state from incident where id = $1", [id])).rows[0]!.state;
    expect(await ended(first)).toBe("open");
    // the quiet that ends it passes by the clock that counts now
    for (let minute = 2; minute < 30; minute++) {
      await quiet(minute * 60);
      await session.step();
    }
    expect(await ended(first)).toBe("cleared");
    T = lead;
    expect(await counts("10.9.0.1")).toEqual([12]);
  });
});

describe("what fails is taken out, and all else goes on", () => {
  afterEach(async () => {
    await client.query("alter table finding drop constraint if exists unwritable");
    await client.query("delete from rule where id in ('broken', 'poor')");
    await client.query("delete from rule_failure");
  });
  const failures = async () =>
    (await client.query("select rule_id, stopped, reason from rule_failure order by rule_id")).rows;

  test("a finding that cannot be written is left out and told; the others of its rule are raised", async () => {
    await client.query("alter table finding add constraint unwritable check (key <> '10.8.0.1')");
    const care = new Care();
    const session = await EngineSession.open(client, "UTC", care);
    await refused("10.8.0.1", upTo(12));
    await refused("10.8.0.2", upTo(12));
    // undone whole, as every refusal is at first; from then on finding by finding
    await expect(session.step()).rejects.toThrow("unwritable");
    care.beCareful();
    const again = await EngineSession.open(client, "UTC", care);
    while (await again.step()) {}
    expect(await findings("10.8.0.1")).toEqual([]);
    expect(await findings("10.8.0.2")).toMatchObject([{ count: 12 }]);
    expect(again.takeIsolated()).toEqual([
      { ruleId: "refused-logons", reason: expect.stringContaining("unwritable"), stopped: false },
    ]);
  });

  test("a rule whose text is none any more is said to be, and the others run", async () => {
    await client.query(
      "insert into rule (id, version, body, author, changed_us) values ('broken', 1, '{\"kind\":\"count\"}', 'x', 0)",
    );
    const session = await open();
    await refused("10.8.0.3", upTo(12));
    await session.step();
    expect(await findings("10.8.0.3")).toMatchObject([{ count: 12 }]);
    expect(session.takeIsolated()).toMatchObject([{ ruleId: "broken", stopped: true }]);
  });

  test("a rule that failed is not run and its states are left alone, until it is another version or tried again", async () => {
    const rule = (await client.query<{ body: Rule }>("select body from rule where id = 'refused-logons'")).rows[0]!;
    await noteRuleFailure(client, "refused-logons", "it threw", true, 1);
    expect(await failures()).toEqual([{ rule_id: "refused-logons", stopped: true, reason: "it threw" }]);
    let session = await open();
    await refused("10.8.0.4", upTo(12));
    await session.step();
    expect(await findings("10.8.0.4")).toEqual([]);
    await forgetRuleFailure(client, "refused-logons");
    await session.step();
    await refused("10.8.0.5", upTo(12, 1, 20));
    await session.step();
    expect(await findings("10.8.0.5")).toMatchObject([{ count: 12 }]);
    await noteRuleFailure(client, "refused-logons", "it threw again", true, 2);
    await client.query("update rule set version = version + 1, body = $1 where id = 'refused-logons'", [
      JSON.stringify(rule.body),
    ]);
    session = await open();
    await refused("10.8.0.6", upTo(12, 1, 40));
    await session.step();
    expect(await findings("10.8.0.6")).toMatchObject([{ count: 12 }]);
  });
});

test("an engine that gives no sign is an incident, once, and over when it measures again", async () => {
  const now = T;
  await client.query(
    "insert into role_status (role, pid, started_us, heartbeat_us, detail) values ('engine', 1, $1, $1, '{}') on conflict (role, node) do update set heartbeat_us = $1, detail = '{}'",
    [now],
  );
  const stopped = async () =>
    (
      await client.query(
        "select state, title, (select string_agg(code, ' ' order by id) from incident_event e where e.incident = i.id) as told from incident i where rule_id = 'halvik-engine-stopped' order by id",
      )
    ).rows;
  await raiseEngineStopped(client, now, now + 30 * S);
  expect(await stopped()).toEqual([]);
  await raiseEngineStopped(client, now, now + 90 * S);
  await raiseEngineStopped(client, now, now + 95 * S);
  expect(await stopped()).toEqual([{ state: "open", title: "The engine has stopped: no rule runs", told: "raised" }]);
  await clearEngineStopped(client, now + 100 * S);
  expect(await stopped()).toMatchObject([{ state: "cleared", told: "raised cleared" }]);
  // one that was stopped in order is nobody's trouble
  await client.query("update role_status set detail = '{\"stopped\": true}' where role = 'engine'");
  await raiseEngineStopped(client, now, now + 900 * S);
  expect(await stopped()).toHaveLength(1);
});
