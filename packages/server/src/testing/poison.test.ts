import { createSocket } from "node:dgram";
import { request } from "node:https";
import pg from "pg";
import { bytes } from "../../../core/src/testing/bytes.js";
import { flowSet, templateBody, v9Message } from "../../../core/src/testing/flow-bytes.js";
import { connectionOf } from "../kernel/db/pool.js";
import { HostileInputs } from "./hostile-inputs.js";
import { RoleProcess, TestDevice } from "./roles.js";
import { runInside } from "./run-inside.js";
import { eventually, startTestInstance, type TestInstance } from "./test-database.js";

/** Twenty senders of known messages, and one that sends what no store takes: it costs the twenty nothing. */
const SENDERS = 20;
let instance: TestInstance;
let collector: RoleProcess;
let engine: RoleProcess;
let db: pg.Client;
let token = "";
const devices: TestDevice[] = [];
const POISONER = "127.40.1.1";

beforeAll(async () => {
  instance = await startTestInstance();
  const line = (i: number) => `s-${i},127.40.0.${i},no,Orvane,,,UTC,,,`;
  const list = [
    "name,addresses,relay,site,groups,role,zone,reached through,expected every seconds,notes",
    ...Array.from({ length: SENDERS }, (_, i) => line(i + 1)),
    `poisoner,${POISONER} 127.0.0.1,no,Orvane,,,UTC,,,`,
    "relay,127.40.1.2,yes,Orvane,,,UTC,,,",
  ].join("\n");
  expect((await runInside(instance.env, ["senders", "import", "-"], list)).code).toBe(0);
  token = (await runInside(instance.env, ["token", "create", "forwarder", "--intake"])).out.trim();
  db = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await db.connect();
  // stands for whatever a later decoder lets through: a class of error each
  await db.query(`
    create function no_poison(text text) returns boolean language plpgsql immutable as $$ begin
      if text like '%POISON-22%' then raise exception 'out of range for smallint' using errcode = '22003'; end if;
      if text like '%POISON-54%' then raise exception 'index row size 3216 exceeds maximum' using errcode = '54000'; end if;
      return true;
    end $$;
    alter table segments.template add constraint poison check (no_poison(message));
    alter table segments.template add constraint third check (message not like '%POISON-23%')`);
  collector = await RoleProcess.start(instance, "collector");
  engine = await RoleProcess.start(instance, "engine");
  for (let i = 1; i <= SENDERS; i++) devices.push(new TestDevice(`127.40.0.${i}`, instance));
}, 240_000);
afterAll(async () => {
  for (const d of devices) d.close();
  await db?.end();
  await engine?.stop();
  await collector?.stop();
  await instance?.dispose();
}, 240_000);

async function rowsOf<T extends pg.QueryResultRow>(columns: string, where: string, shape = "record"): Promise<T[]> {
  const { rows } = await db.query<{ name: string }>("select name from segment where shape = $1", [shape]);
  const parts = rows.map((r) => `select ${columns} from segments.${pg.escapeIdentifier(r.name)} r where ${where}`);
  return parts.length === 0 ? [] : (await db.query<T>(parts.join(" union all "))).rows;
}
const countOf = async (word: string) => (await rowsOf("1 as one", `strpos(message, '${word}') > 0`)).length;
const detail = async (name: string) =>
  Number(
    (await db.query<{ n: string }>("select detail->>$1 as n from role_status where role = 'collector'", [name])).rows[0]
      ?.n ?? 0,
  );

/** From each of the twenty one line, `rounds` times, with poison between. */
async function amongPoison(word: string, rounds: number, poison: (round: number) => Promise<unknown>): Promise<void> {
  for (let round = 0; round < rounds; round++) {
    for (const [i, d] of devices.entries()) {
      await d.send(`<13>1 - s-${i + 1} t - - - ${word} ${round}.`);
      if (i === 9) await poison(round);
    }
  }
}

function send(port: number, payload: Uint8Array, from: string): Promise<void> {
  return new Promise((done, failed) => {
    const socket = createSocket("udp4");
    socket.bind({ address: from }, () =>
      socket.send(payload, port, "127.0.0.1", (e) => {
        socket.close();
        if (e) failed(e);
        else done();
      }),
    );
  });
}

function post(path: string, body: string | Buffer): Promise<{ status: number; text: string }> {
  return new Promise((done, failed) => {
    const req = request(
      {
        host: "127.0.0.1",
        port: instance.config.HALVIK_INTAKE_PORT,
        path,
        method: "POST",
        rejectUnauthorized: false,
        headers: { authorization: `Bearer ${token}` },
      },
      (res) => {
        let text = "";
        res.on("data", (b: Buffer) => {
          text += b.toString();
        });
        res.on("end", () => done({ status: res.statusCode ?? 0, text }));
      },
    );
    req.once("error", failed);
    req.end(body);
  });
}

const U64 = 0xffff_ffff_ffff_ffffn;
const flow = (fields: readonly (readonly number[])[], data: Uint8Array) =>
  v9Message(
    { uptimeMs: 1_000, exportSeconds: Math.floor(Date.now() / 1000), sequence: 1, domain: 7 },
    flowSet(0, templateBody(300, fields)),
    flowSet(300, data),
  );
/** The triggers that were seen to delete everyone's records, and their like. */
const POISONS: readonly (readonly [string, () => Promise<unknown>])[] = [
  [
    "a protocol of four octets",
    () =>
      netflow(
        flow(
          [
            [4, 4],
            [1, 4],
          ],
          bytes().u32(99_999, 17).done(),
        ),
      ),
  ],
  [
    "octets near 2^53 with such a sampling interval",
    () =>
      netflow(
        flow(
          [
            [1, 8],
            [34, 8],
          ],
          bytes()
            .u64(2n ** 53n - 1n)
            .u64(2n ** 53n - 1n)
            .done(),
        ),
      ),
  ],
  [
    "an option that says so for all flows to come",
    async () => {
      const options = Uint8Array.from([1, 45, 0, 4, 0, 4, 0, 1, 0, 4, 0, 34, 0, 8]);
      const head = { uptimeMs: 1_000, exportSeconds: Math.floor(Date.now() / 1000), sequence: 2, domain: 7 };
      await netflow(
        v9Message(
          head,
          flowSet(1, options),
          flowSet(
            301,
            bytes()
              .u32(0)
              .u64(2n ** 53n - 1n)
              .done(),
          ),
        ),
      );
      await netflow(
        flow(
          [
            [1, 8],
            [4, 1],
          ],
          bytes()
            .u64(2n ** 40n)
            .u8(6)
            .done(),
        ),
      );
    },
  ],
  [
    "two flows that bring a sum near 2^63, and one more",
    async () => {
      for (let i = 0; i < 3; i++)
        await netflow(
          flow(
            [
              [1, 8],
              [8, 4],
            ],
            bytes()
              .u64(2n ** 62n)
              .ip("192.0.2.9")
              .done(),
          ),
        );
    },
  ],
  [
    "octets beyond 2^63",
    () =>
      netflow(
        flow(
          [
            [1, 8],
            [2, 8],
          ],
          bytes().u64(U64).u64(U64).done(),
        ),
      ),
  ],
  ["U+0000 in a host", () => post("/json", '{"host":"a\\u0000b","message":"nul"}')],
  ["half a surrogate pair", () => post("/json", '{"a":"\\ud800","message":"half"}')],
  ["JSON nested 60,000 deep", () => post("/json", `{"a":${"[".repeat(60_000)}${"]".repeat(60_000)}}`)],
  [
    "a provider with U+0000",
    () =>
      post(
        "/windows",
        "<Event><System><Provider Name='a\u0000b'/><EventID>1</EventID></System></Event>".replace("\u0000", "&#0;"),
      ),
  ],
  ["a host name of 3,200 characters", () => syslog(`<13>1 - ${"h".repeat(3_200)} t - - - long`)],
  [
    "the same behind a relay",
    () => send(port(), Buffer.from(`<13>1 - ${"r".repeat(3_200)} t - - - long`), "127.40.1.2"),
  ],
  ["a user of 3,900 characters", () => post("/json", JSON.stringify({ user: "u".repeat(3_900), message: "user" }))],
];
const port = () => instance.config.HALVIK_SYSLOG_UDP_PORT;
const syslog = (line: string) => send(port(), Buffer.from(line), POISONER);
const netflow = (datagram: Uint8Array) => send(instance.config.HALVIK_NETFLOW_PORT, datagram, POISONER);

test("poison of every sort that was seen to work, and random ones: every record of the others is stored once", async () => {
  const hostile = new HostileInputs(7, Date.now() * 1000);
  await amongPoison("walrus", 3 * POISONS.length, async (round) => {
    await POISONS[round % POISONS.length]![1]();
    for (let i = 0; i < 20; i++) {
      const { protocol, bytes: payload } = hostile.next();
      const to = { flow: instance.config.HALVIK_NETFLOW_PORT, snmp: instance.config.HALVIK_SNMP_PORT }[
        protocol as "flow"
      ];
      if (payload.length < 60_000) await send(to ?? port(), payload, POISONER);
    }
  });
  await eventually(
    "every walrus",
    () => countOf("walrus"),
    (n) => n >= SENDERS * 3 * POISONS.length,
  );
  expect(await countOf("walrus")).toBe(SENDERS * 3 * POISONS.length);
  expect([await detail("lost"), await detail("quarantined"), await detail("stored as unreadable")]).toEqual([0, 0, 0]);
  const marked = await rowsOf<{ code: string }>(
    "problem->>'code' as code",
    "problem is not null and data::text like '%99999%'",
    "flow",
  );
  expect(marked[0]).toMatchObject({ code: "BAD_VALUE" });
}, 240_000);

test.each([
  ["data the database refuses", "POISON-22"],
  ["an error of another class", "POISON-54"],
  ["a constraint", "POISON-23"],
])(
  "%s in a batch: the offender is a record of its bytes with the reason, all others are stored",
  async (_what, word) => {
    const marker = `${word.toLowerCase()}-others`;
    await amongPoison(marker, 5, (round) => syslog(`<13>1 - p t - - - ${word} ${round}`));
    await eventually(
      "the others",
      () => countOf(marker),
      (n) => n >= SENDERS * 5,
    );
    expect(await countOf(marker)).toBe(SENDERS * 5);
    const kept = await eventually(
      "the offenders",
      () =>
        rowsOf<{ problem: { code: string; message: string }; raw: Buffer }>(
          "problem, (select raw from raw_bytes b where b.id = r.id) as raw",
          "problem->>'code' = 'NOT_STORABLE'",
        ),
      (r) => r.filter((x) => x.raw.toString().includes(word)).length === 5,
    );
    expect(kept.at(-1)!.problem.message).toMatch(/^the store refused it: /);
  },
  240_000,
);

test("the client of HTTPS is told why its record could not be stored as it is, and that the others are", async () => {
  const answer = await post("/json", '{"message":"POISON-22 by HTTPS"}\n{"message":"innocent by HTTPS"}');
  expect(answer.status).toBe(200);
  expect(JSON.parse(answer.text)).toMatchObject({
    stored: 2,
    refused: 0,
    reasons: [{ code: "NOT_STORABLE", message: expect.stringContaining("out of range for smallint") }],
  });
});

test("what is refused even as its bytes goes to quarantine by sender; tried again when it can be stored, it is there once", async () => {
  await db.query(
    "alter table segments.template add constraint none check (message <> '' or problem is null) not valid",
  );
  const { rows } = await db.query<{ name: string }>(
    "select name from segment where shape = 'record' and state = 'open'",
  );
  for (const { name } of rows)
    await db.query(
      `alter table segments.${pg.escapeIdentifier(name)} add constraint none check (message <> '' or problem is null) not valid`,
    );
  await amongPoison("lynx", 5, () => syslog("<13>1 - p t - - - POISON-22 aside"));
  await eventually(
    "every lynx",
    () => countOf("lynx"),
    (n) => n >= SENDERS * 5,
  );
  expect(await countOf("lynx")).toBe(SENDERS * 5);
  const aside = await eventually(
    "the quarantine",
    async () =>
      (await db.query<{ file: string; peer: string; records: number; reason: string }>("select * from quarantined"))
        .rows,
    (r) => r.reduce((n, x) => n + x.records, 0) === 5,
  );
  expect(new Set(aside.map((r) => r.peer))).toEqual(new Set([POISONER]));
  expect(aside[0]!.reason).toContain("out of range");
  for (const { name } of [...rows, { name: "template" }])
    await db.query(
      `alter table segments.${pg.escapeIdentifier(name)} drop constraint if exists none, drop constraint if exists poison`,
    );
  await db.query("update quarantined set state = 'again'");
  await eventually(
    "what was aside",
    () => countOf("POISON-22 aside"),
    (n) => n === 5,
  );
  await eventually(
    "an empty quarantine",
    async () => (await db.query("select 1 from quarantined")).rowCount,
    (n) => n === 0,
  );
  expect(await countOf("POISON-22 aside")).toBe(5);
}, 240_000);

test("120 host names of 3,200 characters and 40 users of 3,900: rules go on, findings of the others are raised, nothing lags", async () => {
  const random = (n: number) => Array.from({ length: n }, () => Math.random().toString(36).slice(2, 3)).join("");
  for (let i = 0; i < 120; i++)
    await syslog(`<11>1 - ${random(3_200)} su - - - su: authentication failure for root from 203.0.113.${i}`);
  for (let i = 0; i < 40; i++)
    await post(
      "/json",
      JSON.stringify({ user: random(3_900), category: "logon", outcome: "failure", src: "192.0.2.8" }),
    );
  for (const [i, d] of devices.entries())
    for (let n = 0; n < 12; n++)
      await d.send(`<86>sshd[1]: Failed password for u${n % 4} from 198.51.100.${i} port ${1000 + n} ssh2`);
  const raised = await eventually(
    "twenty findings",
    async () =>
      (
        await db.query<{ key: string; count: number }>(
          "select key, count from finding where rule_id = 'refused-logons' and key like '198.51.100.%'",
        )
      ).rows,
    (r) => r.length === SENDERS && r.every((x) => x.count === 12),
  );
  expect(raised).toHaveLength(SENDERS);
  expect((await db.query("select * from rule_failure")).rows).toEqual([]);
  await eventually(
    "no lag",
    async () =>
      (
        await db.query<{ lag: number }>(
          "select heartbeat_us - (detail->>'throughUs')::bigint as lag from role_status where role = 'engine'",
        )
      ).rows[0]!.lag,
    (lag) => lag < 10_000_000,
  );
}, 240_000);
