import { createHash, createHmac } from "node:crypto";
import { createSocket } from "node:dgram";
import { readFileSync, writeFileSync } from "node:fs";
import { createServer, type IncomingHttpHeaders, type Server } from "node:http";
import { createServer as createTcpServer } from "node:net";
import { join } from "node:path";
import { createServer as createTlsServer } from "node:tls";
import { formatUs, US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import type { HistoryCode } from "@halvik/core/respond/incidents";
import { Channel, NotifyRoute, NotifyTexts, Rota } from "@halvik/core/respond/notify";
import { simpleParser } from "mailparser";
import type pg from "pg";
import request from "supertest";
import { nowUs } from "../../kernel/clock.js";
import { mailSinkDir } from "../../kernel/config/data-dir.js";
import { connectionOf, createPool } from "../../kernel/db/pool.js";
import { addEvent } from "../../kernel/db/unit-of-work.js";
import { selfSigned } from "../../kernel/tls/self-signed.js";
import { RoleProcess } from "../../testing/roles.js";
import { TestApi } from "../../testing/test-api.js";
import { eventually, startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { type Received, startHookSink } from "./hook-sink.js";
import { readSink } from "./mail-sink/read-sink.js";
import { sinkFiles, startMailSink } from "./mail-sink/sink.js";
import { changeRoute, insertRoute, latestDeliveries } from "./repository.js";
import { saveChannel, saveRota, saveTexts } from "./settings-repository.js";
import { refusalOf } from "./ways/outgoing-addresses.js";

/** The notifier as a real process, real mail and real requests to a receiver that checks what it gets. */
const NO_SECRETS = { secret: null, privacySecret: null };
const SECRET = "a secret of the harbour";
let instance: TestInstance;
let db: pg.Pool;
let stopSink: () => Promise<void>;
let notifier: RoleProcess;
let receiver: Server;
let hookUrl: string;
let certificate: { readonly key: string; readonly cert: string };
interface Got {
  readonly headers: IncomingHttpHeaders;
  readonly body: string;
  readonly url: string;
}
const got: Got[] = [];
/** What the receiver answers next; then 204 again. */
let answers: ((kill: () => void) => number)[] = [];

beforeAll(async () => {
  instance = await startTestInstance();
  instance.env.HALVIK_SMTP_URL = `smtp://127.0.0.1:${instance.config.HALVIK_MAIL_SINK_PORT}`;
  instance.env.HALVIK_NOTIFY_NETWORKS = "127.0.0.1";
  db = createPool(connectionOf(instance.config, instance.secrets, "owner"), 2, 10_000);
  stopSink = await startMailSink(instance.config.HALVIK_DATA_DIR, instance.config.HALVIK_MAIL_SINK_PORT);
  receiver = createServer((req, res) => {
    let body = "";
    req.setEncoding("utf8").on("data", (part) => {
      body += part;
    });
    req.on("end", () => {
      got.push({ headers: req.headers, body, url: req.url! });
      const answer = answers.shift();
      const status = answer?.(() => req.socket.destroy()) ?? 204;
      if (!req.socket.destroyed)
        res.writeHead(status, status >= 300 && status < 400 ? { location: "/else" } : {}).end();
    });
  });
  await new Promise<void>((ready) => receiver.listen(0, "127.0.0.1", ready));
  hookUrl = `http://127.0.0.1:${(receiver.address() as { port: number }).port}/hook?a=1`;
  // an authority of the system's, as far as the notifier is concerned
  certificate = await selfSigned(Date.now());
  const authority = join(instance.config.HALVIK_DATA_DIR, "authority.pem");
  writeFileSync(authority, certificate.cert);
  instance.env.NODE_EXTRA_CA_CERTS = authority;
  notifier = await RoleProcess.start(instance, "notifier");
}, 240_000);
afterAll(async () => {
  await notifier?.stop();
  await stopSink?.();
  receiver?.close();
  await db?.end();
  await instance?.dispose();
});
afterEach(async () => {
  await db.query("delete from notify_route");
  answers = [];
});

let made = 0;
async function incident(title: string, severity = 3): Promise<number> {
  const now = nowUs();
  const { rows } = await db.query<{ id: number }>(
    `insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count, entities)
     values ($1, $2, 'open', 'refused-logons', 1, $3, $4, $4, $4, 11, '{}') returning id`,
    [title, severity, `w${++made}`, now],
  );
  const { id } = rows[0]!;
  await db.query(
    `insert into finding (incident, rule_id, lane, key, first_us, last_us, raised_us, count, evidence_first, evidence_latest, entities)
     values ($1, 'refused-logons', 'live', $2, $3, $3, $3, 11, '[]', '[]', '{}')`,
    [id, `w${made}`, now],
  );
  return id;
}
const happens = (id: number, code: HistoryCode) => addEvent(db, id, nowUs(), "Halvik", code, "");
const route = (over: object) => insertRoute(db, NotifyRoute.parse({ name: "duty", ...over }), "me", nowUs());
const channel = (over: object = {}) =>
  saveChannel(
    db,
    null,
    Channel.parse({ kind: "webhook", name: "hook", url: hookUrl, ...over }),
    { secret: SECRET, privacySecret: null },
    "me",
    nowUs(),
  );
const log = async (id: number) =>
  (await latestDeliveries(db, 500, id))
    .map((d) => `${d.tells} ${d.step} ${d.channel_name ?? "mail"} ${d.state} ${d.why}`.trim())
    .sort();
const soon = (id: number, what: string[]) =>
  eventually(
    `the log ${what}`,
    () => log(id),
    (l) => JSON.stringify(l) === JSON.stringify([...what].sort()),
  );
const hurry = (id: number) =>
  db.query("update delivery set due_us = 0 where incident = $1 and state = 'waiting'", [id]);
const about = (title: string) => got.filter((g) => g.body.includes(title));

describe("a web address", () => {
  test("gets what it needs, signed; raise and clear are two messages, each with its id", async () => {
    await route({ channels: [await channel()] });
    const id = await incident("signed one");
    await happens(id, "raised");
    await soon(id, ["raise 0 hook sent"]);
    await db.query("update incident set state = 'cleared', ended_us = $2 where id = $1", [id, nowUs()]);
    await happens(id, "cleared");
    await soon(id, ["raise 0 hook sent", "clear 0 hook sent"]);
    const [raise, clear] = about("signed one") as [Got, Got];
    expect(JSON.parse(raise.body)).toMatchObject({
      tells: "raise",
      notification: "duty",
      incidents: [{ id, severity: "error", count: 11 }],
    });
    expect(JSON.parse(clear.body).tells).toBe("clear");
    expect(raise.headers["idempotency-key"]).toBe(JSON.parse(raise.body).id);
    expect(clear.headers["idempotency-key"]).not.toBe(raise.headers["idempotency-key"]);
    // as a receiver checks it: RFC 9530, RFC 9421
    const digest = `sha-256=:${createHash("sha256").update(raise.body).digest("base64")}:`;
    expect(raise.headers["content-digest"]).toBe(digest);
    const params = String(raise.headers["signature-input"]).replace(/^halvik=/, "");
    expect(params).toMatch(
      /^\("@method" "@target-uri" "content-digest" "idempotency-key"\);created=\d+;keyid="halvik";alg="hmac-sha256"$/,
    );
    const base = `"@method": POST\n"@target-uri": ${hookUrl}\n"content-digest": ${digest}\n"idempotency-key": ${raise.headers["idempotency-key"]}\n"@signature-params": ${params}`;
    expect(raise.headers.signature).toBe(`halvik=:${createHmac("sha256", SECRET).update(base).digest("base64")}:`);
  });

  test("that is our own stand-in takes what is signed with its secret, and says what is wrong with anything else", async () => {
    const received: Received[] = [];
    const sink = await startHookSink(0, SECRET, (r) => received.push(r));
    const url = `http://127.0.0.1:${sink.port}/`;
    await route({ channels: [await channel({ name: "ours", url })] });
    const id = await incident("for our own");
    await happens(id, "raised");
    await soon(id, ["raise 0 ours sent"]);
    expect(received).toEqual([
      { id: expect.stringMatching(/^[0-9a-f-]{36}$/), body: expect.stringContaining("for our own"), wrong: "" },
    ]);
    // the same with another body, and with none of it
    const answer = await fetch(url, { method: "POST", body: "{}", headers: { "content-digest": "sha-256=:AA==:" } });
    expect([answer.status, received[1]!.wrong]).toEqual([401, "its digest is not that of the body"]);
    const digest = `sha-256=:${createHash("sha256").update("{}").digest("base64")}:`;
    for (const [headers, wrong] of [
      [{}, "it is not signed"],
      [
        { "signature-input": 'halvik=("content-digest");created=1;keyid="halvik"', signature: "halvik=:AAAA:" },
        "its signature is not made with this secret",
      ],
    ] as const) {
      await fetch(url, { method: "POST", body: "{}", headers: { "content-digest": digest, ...headers } });
      expect(received.at(-1)!.wrong).toBe(wrong);
    }
    await sink.stop();
  });

  test("that is busy is asked again, with the same id; one that refuses is not, nor is a redirect followed", async () => {
    await route({ channels: [await channel()] });
    answers = [() => 503, () => 204];
    const busy = await incident("busy one");
    await happens(busy, "raised");
    await eventually(
      "a retry waits",
      () => log(busy),
      (l) => l[0]?.includes("it answered 503") ?? false,
    );
    await hurry(busy);
    await soon(busy, ["raise 0 hook sent"]);
    expect(new Set(about("busy one").map((g) => g.headers["idempotency-key"])).size).toBe(1);
    answers = [() => 404];
    const refused = await incident("refused one");
    await happens(refused, "raised");
    await soon(refused, ["raise 0 hook failed it answered 404"]);
    answers = [() => 302];
    const elsewhere = await incident("redirected one");
    await happens(elsewhere, "raised");
    await soon(elsewhere, ["raise 0 hook failed it answered 302"]);
    expect(about("redirected one").map((g) => g.url)).toEqual(["/hook?a=1"]);
  });

  test("inside, that nobody allowed, is never connected to, however it is written or named", async () => {
    const port = new URL(hookUrl).port;
    const ids = await Promise.all(
      [
        `http://localhost:${port}/`,
        `http://127.0.0.2:${port}/`,
        `http://[::ffff:10.0.0.1]:${port}/`,
        `http://0x7f.2:${port}/`,
      ].map((url, i) => channel({ name: `inside ${i}`, url })),
    );
    await route({ channels: ids });
    const id = await incident("inside one");
    await happens(id, "raised");
    const l = await eventually(
      "the log",
      () => log(id),
      (all) => all.length === 4 && all.every((d) => !d.includes("waiting")),
    );
    // the name leads to 127.0.0.1, which is allowed here, and on some machines to ::1, which is not
    expect(l.filter((d) => !d.includes("inside 0"))).toEqual(
      [1, 2, 3].map((i) =>
        expect.stringMatching(
          new RegExp(`^raise 0 inside ${i} failed .* lies inside: the administrator has to allow it`),
        ),
      ),
    );
    expect(about("inside one").length).toBeLessThanOrEqual(1);
  });

  test.each([
    ["10.1.2.3", [], true],
    ["10.1.2.3", ["10.1.0.0/16"], false],
    ["10.2.2.3", ["10.1.0.0/16"], true],
    ["169.254.169.254", [], true],
    ["::1", [], true],
    ["::ffff:192.168.0.1", [], true],
    ["fd00::1", ["10.0.0.0/8"], true],
    ["64:ff9b::a00:1", [], true],
    ["203.0.113.9", [], false],
    ["2001:db8::1", [], false],
    ["nonsense", [], true],
  ])("%s with %j allowed is refused: %s", (address, allowed, refused) =>
    expect(refusalOf(address, allowed) !== null).toBe(refused),
  );
});

describe("a syslog receiver", () => {
  const lines: string[] = [];
  const syslog = (transport: string, port: number) =>
    saveChannel(
      db,
      null,
      Channel.parse({ kind: "syslog", name: transport, host: "127.0.0.1", port, transport }),
      NO_SECRETS,
      "me",
      nowUs(),
    );
  test("gets one line with its id and where to look, over UDP and, counted in octets, over TCP", async () => {
    const udp = createSocket("udp4").on("message", (b) => lines.push(b.toString()));
    await new Promise<void>((ready) => udp.bind(0, "127.0.0.1", ready));
    const tcp = createTcpServer((socket) => {
      let all = "";
      socket.setEncoding("utf8").on("data", (part) => {
        all += part;
      });
      socket.on("end", () => {
        lines.push(all);
        socket.end();
      });
    });
    await new Promise<void>((ready) => tcp.listen(0, "127.0.0.1", ready));
    const { port } = tcp.address() as { port: number };
    await route({ channels: [await syslog("udp", udp.address().port), await syslog("tcp", port)] });
    const id = await incident("syslog ö one", 2);
    await happens(id, "raised");
    await soon(id, ["raise 0 udp sent", "raise 0 tcp sent"]);
    await eventually(
      "both lines",
      async () => lines,
      (l) => l.length === 2,
    );
    udp.close();
    tcp.close();
    const [framed, plain] = [...lines].sort((a) => (a.startsWith("<") ? 1 : -1)) as [string, string];
    expect(plain).toMatch(
      new RegExp(
        `^<114>1 .* halvik - raise \\[halvik@32473 id="[0-9a-f-]{36}" incident="${id}" link="[^"]+/incidents/${id}"\\] `,
      ),
    );
    expect(plain).toContain("raised: syslog ö one");
    const [, octets, rest] = /^(\d+) (.*)$/s.exec(framed)!;
    expect(Buffer.byteLength(rest!)).toBe(Number(octets));
    // each way's message has an id of its own
    expect(/id="([^"]+)"/.exec(plain)![1]).not.toBe(/id="([^"]+)"/.exec(rest!)![1]);
  });

  test("gets it over TLS when its certificate is one of the system's for that host, and only then", async () => {
    const heard: string[] = [];
    const servers = [certificate, await selfSigned(Date.now())].map((identity) =>
      createTlsServer(identity, (socket) => {
        socket.on("error", () => undefined).setEncoding("utf8");
        socket.on("data", (part) => heard.push(String(part))).on("end", () => socket.end());
      }),
    );
    for (const server of servers) {
      server.on("tlsClientError", () => undefined);
      await new Promise<void>((ready) => server.listen(0, "127.0.0.1", ready));
    }
    const [known, unknown] = servers.map((s) => (s.address() as { port: number }).port) as [number, number];
    await route({ channels: [await syslog("tls", known), await syslog("tls", unknown)] });
    const id = await incident("over tls");
    await happens(id, "raised");
    await eventually(
      "the log",
      () => log(id),
      (l) => l.includes("raise 0 tls sent") && l.some((d) => /^raise 0 tls waiting .*self.signed/.test(d)),
    );
    for (const server of servers) server.close();
    expect(heard.join("")).toMatch(/^\d+ <115>1 .* halvik - raise \[.*over tls/s);
    expect(heard.join("").match(/over tls/g)).toHaveLength(1);
  });

  test("that is away is asked again; one inside that nobody allowed is not", async () => {
    const inside = Channel.parse({ kind: "syslog", name: "inside", host: "10.1.2.3", port: 514 });
    await route({
      channels: [await syslog("tcp", 1), (await saveChannel(db, null, inside, NO_SECRETS, "me", nowUs()))!],
    });
    const id = await incident("nobody hears");
    await happens(id, "raised");
    await eventually(
      "the log",
      () => log(id),
      (l) =>
        l.some((d) => /^raise 0 tcp waiting .*ECONNREFUSED/.test(d)) &&
        l.some((d) => d.startsWith("raise 0 inside failed 10.1.2.3 lies inside")),
    );
  });
});

test("texts of one's own write what is sent, with their language; a filter says of which incidents", async () => {
  const texts = await saveTexts(
    db,
    null,
    NotifyTexts.parse({
      name: "norsk",
      language: "nb-NO",
      texts: { raise: { subject: "Nytt: {title}", body: "{title}\n\n{acknowledge}" } },
    }),
    "me",
    nowUs(),
  );
  await route({ to: ["duty@orvane.example"], channels: [await channel()], texts, where: "records at least 11" });
  await route({ name: "other", channels: [await channel({ name: "other" })], where: "user is k.lind" });
  const id = await incident("på norsk");
  await happens(id, "raised");
  await soon(id, ["raise 0 mail sent", "raise 0 hook sent"]);
  expect(JSON.parse(about("på norsk")[0]!.body)).toMatchObject({ subject: "Nytt: på norsk", text: "på norsk\n" });
  const [file] = sinkFiles(instance.config.HALVIK_DATA_DIR);
  const mail = await simpleParser(readFileSync(join(mailSinkDir(instance.config.HALVIK_DATA_DIR), file!)));
  expect(mail.headers.get("content-language")).toBe("nb-NO");
  expect(mail.text).toMatch(/^på norsk\n\nhttp\S+\/acknowledge\?/);
  expect(mail.html).toMatch(/<html lang="nb-NO">[\s\S]*<a href="http\S+\/acknowledge\?/);
});

test("nobody acknowledges: it is said again, and goes on to the next; who was told of it is told of its end", async () => {
  const rota = await saveRota(
    db,
    null,
    Rota.parse({ name: "night", zone: "UTC", from: "2026-11-02", people: [{ name: "k", to: "k@orvane.example" }] }),
    "me",
    nowUs(),
  );
  await route({
    to: ["duty@orvane.example"],
    repeatMinutes: 30,
    escalate: [
      { afterMinutes: 10, rotas: [rota] },
      { afterMinutes: 20, channels: [await channel()] },
    ],
  });
  const id = await incident("nobody looks");
  await happens(id, "raised");
  await soon(id, [
    "raise 0 mail sent",
    "reminder 0 mail waiting",
    "escalation 1 mail waiting",
    "escalation 2 hook waiting",
  ]);
  const due = await db.query<{ tells: string; step: number; minutes: number }>(
    "select d.tells, d.step, ((d.due_us - r.due_us) / 60000000)::int as minutes from delivery d join delivery r on r.incident = d.incident and r.tells = 'raise' where d.incident = $1 and d.tells <> 'raise' order by 3",
    [id],
  );
  expect(due.rows.map((d) => d.minutes)).toEqual([10, 20, 30]);
  await db.query("update delivery set due_us = 0 where incident = $1 and (step = 1 or tells = 'reminder')", [id]);
  await soon(id, [
    "raise 0 mail sent",
    "reminder 0 mail sent",
    "reminder 0 mail waiting",
    "escalation 1 mail sent",
    "escalation 2 hook waiting",
  ]);
  await db.query("update incident set state = 'cleared', ended_us = $2 where id = $1", [id, nowUs()]);
  await happens(id, "cleared");
  await soon(id, [
    "raise 0 mail sent",
    "reminder 0 mail sent",
    "reminder 0 mail dropped over before it was sent",
    "escalation 1 mail sent",
    "escalation 2 hook dropped over before it was sent",
    "clear 0 mail sent",
    "clear 1 mail sent",
  ]);
  const mail = (await readSink(instance.config.HALVIK_DATA_DIR, 100)).filter((m) => m.subject.includes("nobody looks"));
  expect(mail.map((m) => `${m.to} ${m.subject.split(":")[0]}`).sort()).toEqual([
    "duty@orvane.example Halvik · not acknowledged",
    "duty@orvane.example Halvik · over",
    "duty@orvane.example Halvik · raised",
    "k@orvane.example Halvik · not acknowledged, for you now",
    "k@orvane.example Halvik · over",
  ]);
});

test("somebody acknowledges: nobody further is told", async () => {
  await route({
    to: ["duty@orvane.example"],
    repeatMinutes: 30,
    escalate: [{ afterMinutes: 10, to: ["lead@orvane.example"] }],
  });
  const id = await incident("somebody looks");
  await happens(id, "raised");
  await soon(id, ["raise 0 mail sent", "reminder 0 mail waiting", "escalation 1 mail waiting"]);
  await db.query("update incident set acknowledged_by = 'me', acknowledged_us = $2 where id = $1", [id, nowUs()]);
  await hurry(id);
  await soon(id, [
    "raise 0 mail sent",
    "reminder 0 mail dropped seen meanwhile",
    "escalation 1 mail dropped seen meanwhile",
  ]);
});

test("quiet hours: what is severe breaks them, the rest waits and says until when", async () => {
  // but for a minute twelve hours from now
  const clock = (us: number) => formatUs(us).slice(11, 16);
  const far = nowUs() + 12 * US_PER_HOUR;
  const quiet = [{ from: clock(far + US_PER_MINUTE), to: clock(far) }];
  await route({ to: ["duty@orvane.example"], quiet, breaks: "critical" });
  const [mild, severe] = [await incident("can wait", 3), await incident("cannot wait", 2)];
  await happens(mild, "raised");
  await happens(severe, "raised");
  await soon(severe, ["raise 0 mail sent"]);
  await eventually(
    "it waits",
    () => log(mild),
    (l) => /^raise 0 mail waiting quiet hours until \d\d:\d\d$/.test(l[0] ?? ""),
  );
});

test("killed between sending and noting, again and again: none is missing, what comes twice has the same id", async () => {
  await route({ channels: [await channel()] });
  const all: number[] = [];
  for (let round = 0; round < 8; round++) {
    const id = await incident(`kill ${round}!`);
    all.push(id);
    let killed = Promise.resolve();
    // the receiver has it, and the notifier dies before it hears so
    answers = [
      () => {
        killed = notifier.kill();
        return 204;
      },
    ];
    const before = got.length;
    await happens(id, "raised");
    await eventually(
      "it arrived",
      async () => got.length,
      (n) => n > before,
    );
    await killed;
    answers = [];
    notifier = await RoleProcess.start(instance, "notifier");
    await soon(id, ["raise 0 hook sent"]);
  }
  for (const round of all.keys()) {
    const own = about(`kill ${round}!`);
    expect(own.length).toBeGreaterThanOrEqual(1);
    expect(own.length).toBeLessThanOrEqual(2);
    expect(new Set(own.map((g) => g.headers["idempotency-key"])).size).toBe(1);
  }
}, 240_000);

test("many that go together are one message, with one id, also when that is sent again", async () => {
  await route({ channels: [await channel()], delaySeconds: 3_600 });
  answers = [() => 503];
  const storm = await Promise.all(Array.from({ length: 9 }, (_, i) => incident(`together ${i}`)));
  for (const one of storm) await happens(one, "raised");
  for (const one of storm) await soon(one, ["raise 0 hook waiting"]);
  const allDue = () =>
    db.query("update delivery set due_us = 0 where incident = any($1::int[]) and state = 'waiting'", [storm]);
  await allDue();
  await eventually(
    "refused once",
    () => log(storm[8]!),
    (l) => l[0]?.includes("503") ?? false,
  );
  await allDue();
  for (const one of storm) await soon(one, ["raise 0 hook sent"]);
  const bodies = got.filter((g) => g.body.includes("together 8"));
  expect(bodies.length).toBe(2);
  expect(JSON.parse(bodies[1]!.body).incidents).toHaveLength(9);
  expect(new Set(bodies.map((g) => g.headers["idempotency-key"])).size).toBe(1);
});

describe("acknowledged from a mail", () => {
  let api: TestApi;
  beforeAll(async () => {
    api = await TestApi.start(instance);
  });
  afterAll(() => api?.close());
  const linksOf = async (title: string) =>
    (await readSink(instance.config.HALVIK_DATA_DIR, 300))
      .filter((m) => m.subject.includes(title))
      .flatMap((m) => {
        const link = /https?:\/\/\S+\/acknowledge\?(\S+)/.exec(m.text.replace(/=\r?\n/g, ""));
        if (link === null) return [];
        const { person: to, ...rest } = Object.fromEntries(new URLSearchParams(link[1]));
        return [{ ...rest, to } as Record<string, string>];
      });
  // by nobody who is signed in
  const press = (link: object) => request(api.app).post("/api/v1/notify/acknowledge").send(link);

  test("each who was mailed has a link of their own; it acknowledges as them, once, and nobody else is called", async () => {
    const people = ["a@orvane.example", "b@orvane.example"];
    await route({ to: people, escalate: [{ afterMinutes: 10, to: ["lead@orvane.example"] }] });
    const id = await incident("by its link");
    await happens(id, "raised");
    await soon(id, ["raise 0 mail sent", "escalation 1 mail waiting"]);
    const links = await linksOf("by its link");
    expect(links.map((l) => l.to).sort()).toEqual(people);
    const [one, other] = links as [Record<string, string>, Record<string, string>];
    for (const wrong of [
      { ...one, to: "c@orvane.example" },
      { ...one, signature: other.signature },
      { ...one, message: "00000000-0000-4000-8000-000000000000" },
      { ...one, signature: "" },
    ])
      expect((await press(wrong)).status).toBe(404);
    const answer = await press(one);
    expect([answer.status, answer.body]).toEqual([200, { incident: id }]);
    const { rows } = await db.query("select acknowledged_by from incident where id = $1", [id]);
    expect(rows[0].acknowledged_by).toBe(one.to);
    // once: by whichever of them
    expect((await press(one)).status).toBe(409);
    expect((await press(other)).status).toBe(409);
    await hurry(id);
    await soon(id, ["raise 0 mail sent", "escalation 1 mail dropped seen meanwhile"]);
  });

  test("who is taken out of the notification, or was told by one that is gone, signs in", async () => {
    const id = await route({ to: ["a@orvane.example", "b@orvane.example"] });
    const about = await incident("taken out");
    await happens(about, "raised");
    await soon(about, ["raise 0 mail sent"]);
    const links = await linksOf("taken out");
    const of = (to: string) => links.find((l) => l.to === to)!;
    await changeRoute(db, id, NotifyRoute.parse({ name: "duty", to: ["a@orvane.example"] }), "me", nowUs());
    const refused = await press(of("b@orvane.example"));
    expect([refused.status, refused.body.error.message]).toEqual([
      409,
      expect.stringContaining("not notified of this any more"),
    ]);
    await db.query("delete from notify_route");
    expect((await press(of("a@orvane.example"))).status).toBe(409);
    const { rows } = await db.query("select acknowledged_by from incident where id = $1", [about]);
    expect(rows[0].acknowledged_by).toBeNull();
  });

  test("after 72 h it does not; what is over has none", async () => {
    await route({ to: ["a@orvane.example"] });
    const id = await incident("too late");
    await happens(id, "raised");
    await soon(id, ["raise 0 mail sent"]);
    const [link] = await linksOf("too late");
    await db.query("update delivery set made_us = made_us - 72 * 3600000000::bigint - 1000000 where incident = $1", [
      id,
    ]);
    const answer = await press(link!);
    expect([answer.status, answer.body.error.message]).toEqual([409, expect.stringContaining("older than 72 hours")]);
    await db.query("update incident set state = 'cleared', ended_us = $2 where id = $1", [id, nowUs()]);
    await happens(id, "cleared");
    await soon(id, ["raise 0 mail sent", "clear 0 mail sent"]);
    expect(await linksOf("over: too late")).toEqual([]);
  });
});

test("a receiver that hangs holds no other way up", async () => {
  const hangs = createTcpServer(() => undefined);
  await new Promise<void>((ready) => hangs.listen(0, "127.0.0.1", ready));
  const { port } = hangs.address() as { port: number };
  await route({ channels: [await channel({ name: "hangs", url: `http://127.0.0.1:${port}/` })] });
  await route({ to: ["duty@orvane.example"] });
  const id = await incident("not held up");
  await happens(id, "raised");
  await eventually(
    "the mail",
    () => log(id),
    (l) => l.includes("raise 0 mail sent"),
  );
  // its first attempt has not come to its end
  const waits = (await latestDeliveries(db, 500, id)).find((d) => d.channel_name === "hangs");
  expect([waits?.state, waits?.attempts]).toEqual(["waiting", 0]);
  hangs.close();
  await notifier.kill();
  notifier = await RoleProcess.start(instance, "notifier");
});

test("one of several that is refused keeps nobody else from it, and nobody gets it twice", async () => {
  // refuses one of them for good, and answers another late once (RFC 5321 4.2.1: 550, 451)
  const taken: string[] = [];
  let busy = true;
  const smtp = createTcpServer((socket) => {
    let inData = false;
    let to = "";
    socket.on("error", () => undefined).write("220 ready\r\n");
    socket.setEncoding("utf8").on("data", (part: string) => {
      for (const line of part.split("\r\n").filter(Boolean)) {
        if (inData) {
          if (line !== ".") continue;
          inData = false;
          taken.push(to);
          socket.write("250 taken\r\n");
          continue;
        }
        const verb = line.slice(0, 4).toUpperCase();
        if (verb === "RCPT") to = /<(.+)>/.exec(line)![1]!;
        const refused = verb === "RCPT" && to.startsWith("gone");
        const late = verb === "RCPT" && to.startsWith("busy") && busy;
        inData = verb === "DATA";
        socket.write(
          refused ? "550 no such person\r\n" : late ? "451 later\r\n" : inData ? "354 go on\r\n" : "250 ok\r\n",
        );
        if (verb === "QUIT") socket.end();
      }
    });
  });
  await new Promise<void>((ready) => smtp.listen(0, "127.0.0.1", ready));
  const { port } = smtp.address() as { port: number };
  await notifier.stop();
  const env = { ...instance.env, HALVIK_SMTP_URL: `smtp://127.0.0.1:${port}` };
  notifier = await RoleProcess.start({ ...instance, env }, "notifier");
  await route({ to: ["well@orvane.example", "gone@orvane.example", "busy@orvane.example"] });
  const id = await incident("for three");
  await happens(id, "raised");
  await eventually(
    "one waits",
    () => log(id),
    (l) => /^raise 0 mail waiting .*busy@orvane.example/.test(l[0] ?? ""),
  );
  busy = false;
  await hurry(id);
  await eventually(
    "it is sent, but to one",
    () => log(id),
    (l) => /^raise 0 mail sent gone@orvane.example: .*550/.test(l[0] ?? ""),
  );
  expect([...taken].sort()).toEqual(["busy@orvane.example", "well@orvane.example"]);
  smtp.close();
});
