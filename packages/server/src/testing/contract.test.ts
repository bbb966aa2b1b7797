import type { ArrivalRuleList } from "@halvik/contract/arrival";
import type { FormatReadingList, OwnFormatList } from "@halvik/contract/formats";
import type { ForwardList } from "@halvik/contract/forwarding";
import type { SenderList } from "@halvik/contract/senders";
import { syslogRecord } from "@halvik/core/normalise";
import pg from "pg";
import request from "supertest";
import { communityDigest } from "../domains/intake/endpoints/communities.js";
import { connectionOf } from "../kernel/db/pool.js";
import { BatchWriter } from "../store/batches.js";
import { claimCollector } from "../store/collectors.js";
import { formatRecordId, IdSource } from "../store/record-id.js";
import { KeptShapes } from "../store/shapes.js";
import { TestApi } from "./test-api.js";
import { startTestInstance, type TestInstance } from "./test-database.js";

/**
 * Every route answers what the contract says: the server holds each answer against its schema before it is sent (`HALVIK_CHECK_ANSWERS`), and a
 * route that no step here asks fails the test.
 */
let instance: TestInstance;
let api: TestApi;
let owner: pg.Client;
let record = "";
const ids = { incident: 0, other: 0, third: 0, finding: 0, sender: 0, refused: 0, job: 0 };
const asked = new Set<string>();

beforeAll(async () => {
  instance = await startTestInstance();
  api = await TestApi.start(instance);
  owner = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await owner.connect();
  const now = Date.now() * 1_000;
  const claim = await claimCollector(owner, "test", "live");
  const source = new IdSource(claim.number, 0);
  const sender = await owner.query<{ id: number }>(
    "insert into sender (name, state) values ('waits', 'waiting'), ('waits too', 'waiting') returning id",
  );
  [ids.sender, ids.refused] = sender.rows.map((r) => r.id) as [number, number];
  const made = source.next(now);
  record = formatRecordId(made);
  const { content } = syslogRecord(Buffer.from("<11>sshd: refused k.lind from 203.0.113.9"), {
    receivedUs: now - 1e6,
    zone: "UTC",
    clockOffsetUs: 0,
  });
  const shapes = await KeptShapes.load(owner, now);
  const shape = shapes.learn(content);
  await shapes.save(owner, now);
  await new BatchWriter(owner, claim.number, null).commit(
    {
      number: 1,
      records: [{ id: made, sender: ids.sender, endpoint: "t", copyOf: null, shape, content }],
      throughUs: now,
      runRules: true,
    },
    now,
  );
  await owner.query(
    "insert into rule_version (id, version, body, author, changed_us) select id, version, body, author, changed_us from rule on conflict do nothing",
  );
  for (const name of ["incident", "other", "third"] as const) {
    const { rows } = await owner.query<{ id: number }>(
      "insert into incident (title, severity, state, rule_id, rule_version, key, first_us, last_us, raised_us, count, entities) values ($1, 3, 'open', 'refused-logons', 1, $1, $2, $2, $2, 2, '{}') returning id",
      [name, now],
    );
    ids[name] = rows[0]!.id;
    const finding = await owner.query<{ id: number }>(
      `insert into finding (incident, rule_id, rule_version, lane, key, first_us, last_us, raised_us, count, evidence_first, evidence_latest, entities)
       values ($1, 'refused-logons', 1, 'live', $2, $3, $3, $3, 1, $4, '[]', '{}') returning id`,
      [ids[name], name, now, JSON.stringify([{ id: record, timeUs: now }])],
    );
    ids.finding = finding.rows[0]!.id;
  }
});
afterAll(async () => {
  await api?.close();
  await owner?.end();
  await instance?.dispose();
});

type Method = "get" | "post" | "patch" | "delete";
/** @param path as the description has it; @param at with its parameters filled in, where it has some */
async function ask(method: Method, path: string, at = path, body?: object, expected = 200): Promise<request.Response> {
  asked.add(`${method} ${path}`);
  const answer =
    method === "get"
      ? await api.get(at)
      : method === "post"
        ? await api.post(at, body ?? {})
        : method === "patch"
          ? await api.patch(at, body ?? {})
          : await api.delete(at);
  if (answer.status !== expected)
    throw new Error(`${method} ${at}: ${answer.status} ${JSON.stringify(answer.body).slice(0, 500)}`);
  return answer;
}

test("records, filters and what is around them", async () => {
  const window = "from=2020-01-01T00:00:00Z&to=2040-01-01T00:00:00Z";
  for (const [path, more] of [
    ["/records", window],
    ["/records/histogram", window],
    ["/records/values", `${window}&field=app`],
    ["/records/matrix", `${window}&rows=app&columns=severity`],
    ["/records/why-nothing", `${window}&filter=app+is+nothing`],
    ["/records/coverage", window],
    ["/records/export", `${window}&format=csv&id=0123456789abcdef`],
  ] as const) {
    await ask("get", path, `${path}?${more}`);
    // the same asked by POST, for filters longer than an address may be
    if (path !== "/records/coverage") await ask("post", path, path, Object.fromEntries(new URLSearchParams(more)));
  }
  await ask("get", "/records/data-fields", `/records/data-fields?${window}`);
  await ask("post", "/records/data-fields", "/records/data-fields", { filter: "app is sshd" });
  await ask("get", "/records/unknown-words", "/records/unknown-words?filter=refused%20nowhere");
  await ask("post", "/records/unknown-words", "/records/unknown-words", { filter: "app is sshd or qwertz" });
  await ask("get", "/overview", "/overview?zone=Europe/Oslo");
  await ask("get", "/records/exports/{id}", "/records/exports/0123456789abcdef");
  await ask("get", "/records/shapes", "/records/shapes?filter=shape%20new&order=rarest&steps=12");
  await ask("post", "/records/shapes", "/records/shapes", { filter: "app is sshd", limit: 1 });
  await ask("get", "/records/shapes", "/records/shapes?order=best", undefined, 400);
  const told = await ask("get", "/records/shapes");
  const own = `/shapes/${told.body.shapes[0].shape.id}`;
  await ask("get", "/shapes/{id}", own);
  await ask("get", "/shapes/{id}", "/shapes/999999", undefined, 404);
  await ask("get", "/shapes/{id}/values", `${own}/values`);
  await ask("post", "/shapes/{id}/values", `${own}/values`, { filter: "app is sshd" });
  await ask("patch", "/shapes/{id}", own, { name: "refused", category: "logon" });
  await ask("patch", "/shapes/{id}", own, { name: "refused", asPhrase: true }, 400);
  await ask("get", "/records/{id}/around", `/records/${record}/around?by=sender&count=5`);
  await ask("post", "/records/{id}/around", `/records/${record}/around`, { filter: "app is sshd" });
  await ask("get", "/records/{id}/around", `/records/${record}/around?by=session`, undefined, 400);
  await ask("get", "/records/{id}/around", "/records/1/around", undefined, 404);
  await ask("get", "/seen", "/seen?of=user&value=k.lind");
  await ask("get", "/seen", "/seen?of=address&value=nowhere", undefined, 400);
  await ask("get", "/contrast", "/contrast?other=severity%20at%20least%20error&per=records");
  await ask("post", "/contrast", "/contrast", {
    against: "2026-11-01T00:00:00Z/2026-11-02T00:00:00Z",
    by: "shape,pair",
  });
  await ask("get", "/contrast", "/contrast", undefined, 400);
  await ask("get", "/contrast", "/contrast?against=yesterday", undefined, 400);
  await ask("get", "/contrast", "/contrast?other=&by=colour", undefined, 400);
  await ask("get", "/records/{id}", `/records/${record}`);
  await ask("get", "/records/{id}/trace", `/records/${record}/trace`);
  const saved = await ask("post", "/filters", "/filters", { name: "mine", text: "app is sshd", shared: false });
  const { id } = saved.body;
  await ask("get", "/filters");
  await ask("patch", "/filters/{id}", `/filters/${id}`, { name: "mine", text: "app is sshd", shared: true });
  await ask("delete", "/filters/{id}", `/filters/${id}`);
});

test("incidents, one by one and several", async () => {
  const one = `/incidents/${ids.incident}`;
  await ask("get", "/incidents");
  await ask("get", "/incidents/{id}", one);
  await ask("get", "/incidents/{id}/near", `${one}/near`);
  await ask("get", "/incidents/{id}/unusual", `${one}/unusual`);
  await ask("get", "/incidents/{id}/evidence", `${one}/evidence?limit=5`);
  await ask("get", "/incidents/handover");
  for (const format of ["markdown", "json", "handover"])
    await ask("get", "/incidents/{id}/export", `${one}/export?format=${format}`);
  await ask("post", "/incidents/{id}/acknowledge", `${one}/acknowledge`, { note: "seen" });
  await ask("post", "/incidents/{id}/notes", `${one}/notes`, { note: "a note" });
  await ask("post", "/incidents/{id}/techniques", `/incidents/${ids.incident}/techniques`, { techniques: ["t1110"] });
  await ask("post", "/incidents/{id}/assign", `${one}/assign`, { to: "k.lind" });
  await ask("post", "/incidents/{id}/shelve", `${one}/shelve`, { until: "2999-01-01T00:00:00Z", why: "dry dock" });
  const tasks = await ask("post", "/incidents/{id}/tasks", `${one}/tasks`, { text: "look" });
  await ask("patch", "/incidents/{id}/tasks/{task}", `${one}/tasks/${tasks.body.tasks[0].id}`, { done: true });
  await ask("post", "/incidents/{id}/link", `${one}/link`, { to: ids.other });
  await ask("post", "/incidents/{id}/merge", `/incidents/${ids.third}/merge`, { into: ids.incident });
  await ask("post", "/incidents/{id}/split", `${one}/split`, { finding: ids.finding });
  await ask("post", "/incidents/{id}/close", `${one}/close`, { reason: "fixed", note: "" });
  const bulk = await ask("post", "/incidents/bulk", "/incidents/bulk", {
    ids: [ids.other],
    act: { what: "acknowledge" },
  });
  await ask("post", "/incidents/bulk/{id}/undo", `/incidents/bulk/${bulk.body.undo}/undo`);
});

test("rules", async () => {
  await ask("get", "/rules");
  const { body } = await ask("get", "/rules/{id}", "/rules/refused-logons");
  const text = body.text.replace("id: refused-logons", "id: own-rule");
  await ask("post", "/rules/check", "/rules/check", { text });
  await ask("post", "/rules", "/rules", { text });
  await ask("patch", "/rules/{id}", "/rules/own-rule", { enabled: false });
  await owner.query(
    "insert into rule_failure (rule_id, version, since_us, last_us, times, reason, stopped) values ('own-rule', 1, 1, 1, 1, 'it failed', true)",
  );
  await ask("post", "/rules/{id}/try-again", "/rules/own-rule/try-again");
  await ask("post", "/rules/rehearse", "/rules/rehearse", { text });
  // the end of one that is over at once is not heard before what it says
  for (let i = 0; i < 6; i++) {
    const rehearsed = await ask("post", "/rules/rehearse", "/rules/rehearse", { text, against: text });
    expect(rehearsed.text).toContain('"done":true');
  }
  const map = await ask("get", "/techniques");
  expect(
    map.body.techniques.find((t: { technique: string }) => t.technique === "T1110.003").rules.length,
  ).toBeGreaterThan(0);
  const sigma =
    "title: Harbour\nlogsource: {product: linux, service: sshd}\ndetection: {s: {user: oracle}, condition: s}\n---\ntitle: Ramp\nlogsource: {product: ramp}\ndetection: {s: {user: x}, condition: s}\n";
  const read = await ask("post", "/rules/sigma", "/rules/sigma", { text: sigma });
  expect(read.body.outcomes).toMatchObject([{ id: "harbour", isKnown: false }, { unknownSource: "product ramp" }]);
  const said = await ask("post", "/rules/sigma", "/rules/sigma", {
    text: sigma,
    sources: { "product ramp": "app is ramp" },
  });
  expect(said.body.outcomes[1].text).toContain("app is ramp");
  await ask("post", "/rules/sigma", "/rules/sigma", { text: "a: [" }, 400);
  await ask("post", "/rules", "/rules", { text: read.body.outcomes[0].text, isNew: true });
  const back = await ask("get", "/rules/{id}/sigma", "/rules/harbour/sigma");
  expect(back.body.text).toContain("taxonomy: halvik");
});

test("notifications and notices", async () => {
  const route = { name: "duty", to: ["duty@orvane.example"] };
  const { body } = await ask("post", "/notify/routes", "/notify/routes", route);
  const { id } = body;
  await ask("get", "/notify/routes");
  await ask("patch", "/notify/routes/{id}", `/notify/routes/${id}`, { ...route, severity: "warning" });
  await ask("post", "/notify/routes/{id}/test", `/notify/routes/${id}/test`);
  await ask("get", "/notify/deliveries");
  await ask("delete", "/notify/routes/{id}", `/notify/routes/${id}`);
  const channel = { kind: "webhook", name: "chat", url: "https://chat.example/hook" };
  const made = await ask("post", "/notify/channels", "/notify/channels", { channel, secret: "s3cret" });
  await ask("patch", "/notify/channels/{id}", `/notify/channels/${made.body.id}`, {
    channel: { ...channel, format: "chat" },
  });
  const rota = {
    name: "night",
    zone: "Europe/Oslo",
    from: "2026-11-02",
    people: [{ name: "m.aune", to: "m.aune@orvane.example" }],
  };
  const duty = await ask("post", "/notify/rotas", "/notify/rotas", rota);
  await ask("patch", "/notify/rotas/{id}", `/notify/rotas/${duty.body.id}`, { ...rota, at: "07:00" });
  const ways = await ask("get", "/notify/ways");
  expect(ways.body.channels[0]).toMatchObject({ name: "chat", format: "chat" });
  expect(JSON.stringify(ways.body)).not.toContain("s3cret");
  expect(ways.body.rotas[0].onDuty).toMatchObject({ name: "m.aune" });
  await ask("delete", "/notify/rotas/{id}", `/notify/rotas/${duty.body.id}`);
  const message = { message: "00000000-0000-4000-8000-000000000000", to: "a@b.example", signature: "x" };
  await ask("post", "/notify/acknowledge", "/notify/acknowledge", message, 404);
  await ask("delete", "/notify/channels/{id}", `/notify/channels/${made.body.id}`);
  const texts = { name: "norsk", language: "nb-NO", texts: { raise: { subject: "Nytt: {title}", body: "{title}" } } };
  const own = await ask("post", "/notify/texts", "/notify/texts", texts);
  const misspelt = { ...texts, texts: { raise: { subject: "{titel}", body: "x" } } };
  const refused = await ask("patch", "/notify/texts/{id}", `/notify/texts/${own.body.id}`, misspelt, 400);
  expect(JSON.stringify(refused.body)).toContain("did you mean {title}?");
  await ask("patch", "/notify/texts/{id}", `/notify/texts/${own.body.id}`, { ...texts, language: "nn" });
  const tried = {
    incident: ids.incident,
    kind: "raise",
    language: "nb-NO",
    subject: "Nytt: {title}",
    body: "{title}\n{records}",
  };
  const preview = await ask("post", "/notify/texts/preview", "/notify/texts/preview", tried);
  expect(preview.body.subject).toMatch(/^Nytt: /);
  await ask("post", "/notify/texts/preview", "/notify/texts/preview", { ...tried, body: "{x" }, 400);
  await ask("post", "/notify/texts/preview", "/notify/texts/preview", { ...tried, incident: 999_999 }, 404);
  await ask("delete", "/notify/texts/{id}", `/notify/texts/${own.body.id}`);
  // programs are the administrator's to allow, and names in filters have to be known
  const program = { kind: "command", name: "sh", program: "sh", args: ["-c", "true"] };
  await ask("post", "/notify/channels", "/notify/channels", { channel: program }, 400);
  await ask("post", "/notify/routes", "/notify/routes", { ...route, where: "sender is nobody-there" }, 400);
  await ask("get", "/notify/sink");
  const list = { name: "leavers", kind: "text" };
  const kept = await ask("post", "/lists", "/lists", list);
  const entries = `/lists/${kept.body.id}/entries`;
  await ask("post", "/lists/{id}/entries", entries, { as: "value", value: "p.berg" });
  const listed = await ask("get", "/lists/{id}/entries", entries);
  await ask("delete", "/lists/{id}/entries/{entry}", `${entries}/${listed.body.entries[0].id}`);
  await ask("patch", "/lists/{id}", `/lists/${kept.body.id}`, { ...list, about: "who has left" });
  await ask("get", "/lists");
  await ask("delete", "/lists/{id}", `/lists/${kept.body.id}`);
  const from = "2026-11-01T00:00:00Z";
  await ask("get", "/load", `/load?from=${from}&to=2026-11-28T00:00:00Z&live=true`);
  await ask("get", "/load", `/load?from=${from}&to=2026-11-28T00:00:00Z&person=duty%40orvane.example`);
  await ask("get", "/load", `/load?from=${from}&to=2036-11-28T00:00:00Z`, undefined, 400);
  await ask("get", "/load/suggestions", "/load/suggestions?days=90");
  await ask("get", "/notices");
  await ask("post", "/notices/read", "/notices/read", { upTo: 1 });
});

test("intake: senders, endpoints, users, files, quarantine", async () => {
  await ask("get", "/summary");
  await ask("get", "/intake");
  await ask("get", "/senders");
  await ask("get", "/senders.csv");
  const communities = async () => {
    const { body } = await ask("get", "/endpoints");
    const snmp = (body as { endpoints: { id: number; kind: string }[] }).endpoints.find((e) => e.kind === "snmp")!;
    await ask("post", "/endpoints/{id}/communities", `/endpoints/${snmp.id}/communities`, { community: "north" });
    const digest = communityDigest("north");
    await ask("delete", "/endpoints/{id}/communities/{digest}", `/endpoints/${snmp.id}/communities/${digest}`);
  };
  await communities();
  await ask("post", "/senders/{id}/admit", `/senders/${ids.sender}/admit`);
  await ask("post", "/senders/{id}/refuse", `/senders/${ids.refused}/refuse`);
  await ask("patch", "/senders/{id}", `/senders/${ids.sender}`, { site: "Orvane" });
  await ask("get", "/traffic", `/traffic?exporter=${ids.sender}&interface=1&by=pair&measure=flows`);
  await ask("get", "/traffic/lists", "/traffic/lists?dimensions=source,dscp&site=Orvane&count=exported");
  await ask("post", "/traffic", "/traffic", { filter: "dst port is https" });
  await ask("post", "/traffic/lists", "/traffic/lists", { filter: "src within 10.0.0.0/8", dimensions: "pair" });
  await ask("get", "/traffic/places");
  await ask("get", "/traffic/policies");
  await ask("get", "/traffic/now");
  await ask("get", "/traffic/unnamed");
  await ask("get", "/traffic/markings");
  await ask("get", "/traffic/answers");
  await ask("get", "/traffic/policy", "/traffic/policy?src=10.0.0.0/8&port=443");
  await ask("get", "/traffic/policy", "/traffic/policy?dst=nowhere", undefined, 400);
  await ask("get", "/portrait", "/portrait?kind=address&value=10.20.1.18");
  await ask("get", "/portrait", "/portrait?kind=address&value=nobody", undefined, 400);
  await ask("get", "/portrait", "/portrait?kind=sender&value=no-such-sender", undefined, 404);
  await ask("get", "/portrait/news", "/portrait/news?kind=user&value=k.lind");
  await ask("get", "/portrait/traffic", "/portrait/traffic?kind=address&value=10.20.1.18");
  await ask("get", "/portrait/traffic", "/portrait/traffic?kind=user&value=k.lind", undefined, 404);
  const described = `/traffic/interfaces/${ids.sender}/1`;
  await ask("patch", "/traffic/interfaces/{exporter}/{interface}", described, { name: "wan0", capacity: null });
  const admitted = await ask("post", "/senders/admit-network", "/senders/admit-network", {
    network: "10.20.0.0/16",
    fromNowOn: true,
  });
  const rule = (admitted.body as SenderList).networks[0]!.id;
  await ask("delete", "/senders/networks/{id}", `/senders/networks/${rule}`);
  await ask("post", "/senders/refuse-network", "/senders/refuse-network", { network: "10.30.0.0/16" });
  const { body } = await ask("post", "/endpoints", "/endpoints", { name: "second", kind: "syslog-udp", port: 5999 });
  const id = body.endpoints.find((e: { name: string }) => e.name === "second").id;
  // what came by the wrong door, and what is like nothing
  await owner.query(
    "insert into undecodable (endpoint, at_us, peer, code, message, byte_offset, sample) values ('second', 1, '10.0.0.1', 'NOT_SYSLOG', 'x', 0, '\\x0005'), ('second', 1, '10.0.0.1', 'NOT_SYSLOG', 'x', 0, '\\x')",
  );
  await ask("get", "/endpoints");
  await ask("post", "/endpoints/{id}/try", `/endpoints/${id}/try`);
  const arriving = { name: "debug", filter: "severity is debug", does: "drop" };
  await ask("post", "/arrival-rules/preview", "/arrival-rules/preview", arriving);
  const made = (await ask("post", "/arrival-rules", "/arrival-rules", arriving)).body as ArrivalRuleList;
  const arrival = made.rules[0]!.id;
  const forward = { name: "north", filter: "severity at least error", way: { is: "snmp", host: "127.0.0.1", port: 9 } };
  const passing = (await ask("post", "/forwards", "/forwards", { forward })).body as ForwardList;
  await ask("get", "/forwards");
  await ask("patch", "/forwards/{id}", `/forwards/${passing.forwards[0]!.id}`, { enabled: false });
  await ask("delete", "/forwards/{id}", `/forwards/${passing.forwards[0]!.id}`);
  await ask("post", "/trace", "/trace", { protocol: "syslog", as: "text", body: "<13>sshd: hello", from: "127.9.9.9" });
  await ask("get", "/arrival-rules");
  await ask("post", "/arrival-rules/order", "/arrival-rules/order", { ids: [arrival] });
  await ask("patch", "/arrival-rules/{id}", `/arrival-rules/${arrival}`, { enabled: false });
  await ask("delete", "/arrival-rules/{id}", `/arrival-rules/${arrival}`);
  const format = {
    name: "cranes",
    form: { is: "line", template: "crane {crane:number} lifted {load:number} t" },
    examples: ["crane 4 lifted 12.5 t"],
  };
  await ask("post", "/formats/propose", "/formats/propose", { lines: format.examples });
  await ask("post", "/formats/preview", "/formats/preview", { format, lines: ["crane 4 lifted 12.5 t", "crane x"] });
  const kept = (await ask("post", "/formats", "/formats", format)).body as OwnFormatList;
  const { id: formatId } = kept.formats[0]!;
  await ask("get", "/formats");
  await ask("get", "/formats.yaml");
  await ask("post", "/formats/order", "/formats/order", { ids: [formatId] });
  await ask("get", "/formats/{id}/versions", `/formats/${formatId}/versions`);
  await ask("patch", "/formats/{id}", `/formats/${formatId}`, { enabled: false });
  const asked = await ask("post", "/formats/{id}/readings", `/formats/${formatId}/readings`, {});
  const { id: readingId } = (asked.body as FormatReadingList).readings[0]!;
  await ask("get", "/format-readings");
  await ask("post", "/format-readings/{id}/stop", `/format-readings/${readingId}/stop`, {});
  await ask("post", "/format-readings/{id}/take-back", `/format-readings/${readingId}/take-back`, {});
  await ask("delete", "/formats/{id}", `/formats/${formatId}`);
  await ask("get", "/flow-streams");
  await ask("get", "/senders/{id}", `/senders/${ids.sender}`);
  await ask("get", "/senders/{id}/numbers", `/senders/${ids.sender}/numbers`);
  await ask("post", "/senders/{id}/counter", `/senders/${ids.sender}/counter`, { count: 7 });
  await ask("delete", "/senders/{id}/counter", `/senders/${ids.sender}/counter`);
  await ask("get", "/senders/{id}/held", `/senders/${ids.sender}/held`);
  await ask(
    "get",
    "/capacity",
    "/capacity?records=30&flows=7&devices=switch%3D3%3BLinux%20server%3D2&sender=1&keep=30",
  );
  await ask("patch", "/endpoints/{id}", `/endpoints/${id}`, { enabled: false });
  await ask("delete", "/endpoints/{id}", `/endpoints/${id}`);
  await ask("post", "/snmp-users", "/snmp-users", {
    name: "lind",
    authProtocol: "sha256",
    authPassword: "harbour-light",
  });
  await ask("get", "/snmp-users");
  await ask("delete", "/snmp-users/{name}", "/snmp-users/lind");
  await ask("get", "/imports");
  await ask("get", "/quarantine");
});

test("measures, boards, walls", async () => {
  const named = await ask("post", "/measures", "/measures", {
    name: "Acts",
    measure: { source: "audit", by: ["who"] },
  });
  await ask("get", "/measures");
  await ask("delete", "/measures/{id}", `/measures/${named.body.measures[0].id}`);
  const { body: list } = await ask("get", "/boards");
  const [board] = list.ready;
  const { body: kept } = await ask("post", "/boards", "/boards", { board, shared: true });
  await ask("get", "/boards/{id}", `/boards/${kept.id}`);
  await ask("patch", "/boards/{id}", `/boards/${kept.id}`, { board, shared: true, version: kept.version });
  // every kind of tile answers what the contract says
  for (const { tiles, filter } of [...list.ready, (await ask("get", "/boards/now")).body.board])
    for (const { shows, window } of tiles) await ask("post", "/boards/tile", "/boards/tile", { shows, window, filter });
  await ask("patch", "/boards/now", "/boards/now", { board });
  await ask("delete", "/boards/now");
  await ask("get", "/boards/{id}/tiles/{tile}", `/boards/${kept.id}/tiles/${board.tiles[0].id}`);
  const { body: made } = await ask("post", "/walls", "/walls", { name: "control room", boards: [kept.id] });
  await ask("get", "/walls");
  await api.get("/wall", made.token).expect(200);
  asked.add("get /wall");
  await ask("delete", "/walls/{id}", `/walls/${made.walls[0].id}`);
  await ask("delete", "/boards/{id}", `/boards/${kept.id}`);
});

test("investigations, and what is asked again", async () => {
  const window = { from: "2026-11-01T00:00:00Z", to: "2026-12-01T00:00:00Z" };
  const { body: made } = await ask("post", "/papers", "/papers", { name: "Who was it?", shared: true });
  const own = `/papers/${made.id}`;
  const things = [
    { is: "record", id: record },
    { is: "search", filter: "app is sshd", ...window },
    { is: "portrait", kind: "user", value: "k.lind", ...window },
    { is: "incident", id: ids.incident },
  ];
  for (const pin of things) await ask("post", "/papers/{id}/pins", `${own}/pins`, { pin, reason: "as it is" });
  await ask("get", "/papers");
  await ask("get", "/papers/{id}", own);
  await ask("get", "/papers/{id}/changed", `${own}/changed`);
  await ask("patch", "/papers/{id}", own, { facts: { ...made.facts, question: "who?" }, version: made.version });
  await ask("patch", "/papers/{id}/pins/{number}", `${own}/pins/1`, { reason: "x", techniques: ["T1078"], version: 1 });
  await ask("get", "/papers/{id}/pins/{number}/again", `${own}/pins/2/again`);
  await ask("get", "/papers/{id}/pins/{number}/again", `${own}/pins/1/again`, undefined, 400);
  const { body: written } = await ask("post", "/papers/{id}/entries", `${own}/entries`, {
    entry: { is: "hypothesis", text: "guessed", speaksFor: [1] },
  });
  const [entry] = written.entries;
  await ask("patch", "/papers/{id}/entries/{entry}", `${own}/entries/${entry.id}`, { entry: entry.entry, version: 1 });
  await ask("delete", "/papers/{id}/entries/{entry}", `${own}/entries/${entry.id}`);
  const { body: drawn } = await ask("post", "/papers/{id}/links", `${own}/links`, { from: 1, to: 4, why: "became" });
  await ask("delete", "/papers/{id}/links/{link}", `${own}/links/${drawn.leads[0].id}`);
  for (const as of ["markdown", "pdf", "bundle", "stix", "iodef"])
    await ask("get", "/papers/{id}/hand-over/{as}", `${own}/hand-over/${as}`);
  await ask("post", "/papers/{id}/files", `${own}/files?name=a.txt`, undefined, 400);
  await ask("get", "/papers/{id}/files/{number}", `${own}/files/1`, undefined, 404);
  await ask("delete", "/papers/{id}/pins/{number}", `${own}/pins/1`);
  await ask("delete", "/papers/{id}", own);
  const { body: kept } = await ask("get", "/question-sets");
  const [set] = kept.ready;
  await ask("post", "/ask-again", "/ask-again", { of: set.of, searches: set.searches, value: "k.lind", ...window });
  const { body: sets } = await ask("post", "/question-sets", "/question-sets", { set });
  const one = `/question-sets/${sets.sets[0].id}`;
  await ask("patch", "/question-sets/{id}", one, { set, shared: true, version: 1 });
  await ask("delete", "/question-sets/{id}", one);
});

test("reports", async () => {
  const report = {
    name: "Errors",
    period: { last: 1, unit: "day", whole: false },
    asks: "site",
    parts: [
      { is: "text", markdown: "Hello" },
      { is: "course", title: "Over time", compare: true, measure: { filter: "severity at least error" } },
      { is: "bars", title: "By sender", measure: { by: [{ field: "sender" }] } },
      { is: "hours of the week", title: "When", measure: {} },
      { is: "incidents", title: "Incidents", stories: true },
      { is: "records", title: "Records" },
      { is: "own figures", title: "Halvik", compare: true, figures: ["incidents opened", "senders silent now"] },
      { is: "figure", title: "Broken", measure: { filter: "sevrity is error" } },
    ],
  };
  const { body } = await ask("post", "/reports", "/reports", report);
  const { id, changed } = body as { id: number; changed: string };
  await ask("get", "/reports");
  await ask("get", "/limits");
  await ask("get", "/reports/{id}", `/reports/${id}`);
  await ask("patch", "/reports/{id}", `/reports/${id}`, { report: { ...report, about: "What went wrong" }, changed });
  await ask("get", "/reports/{id}/file", `/reports/${id}/file`);
  await ask("post", "/reports/read", "/reports/read", {
    text: "name: x\nperiod: {last: 1, unit: day}\nparts: [{is: text, markdown: y}]",
  });
  await ask("post", "/reports/lacking", "/reports/lacking", { period: report.period });
  for (const part of report.parts) await ask("post", "/reports/part", "/reports/part", { part, period: report.period });
  const run = await ask("post", "/reports/{id}/runs", `/reports/${id}/runs`, { of: null });
  const made = (run.body as { runs: { id: number }[] }).runs[0]!.id;
  await ask("get", "/reports/{id}/runs/{run}", `/reports/${id}/runs/${made}`);
  await ask("get", "/reports/{id}/runs/{run}/file", `/reports/${id}/runs/${made}/file?format=csv&part=2`);
  const schedule = { when: { every: "day", at: "08:00" }, zone: "Europe/Oslo" };
  const kept = await ask("post", "/reports/{id}/schedules", `/reports/${id}/schedules`, { schedule });
  const time = (kept.body as { schedules: { id: number }[] }).schedules[0]!.id;
  await ask("patch", "/reports/{id}/schedules/{schedule}", `/reports/${id}/schedules/${time}`, {
    schedule: { ...schedule, keep: 3 },
  });
  await ask("delete", "/reports/{id}/schedules/{schedule}", `/reports/${id}/schedules/${time}`);
  await ask("delete", "/reports/{id}", `/reports/${id}`);
});

test("names", async () => {
  await ask("get", "/meanings");
  await ask("post", "/meanings", "/meanings", {
    kind: "syslog",
    code: "ramp stuck",
    severity: 3,
    category: "other",
    outcome: "failure",
    sentence: null,
    next: null,
  });
  await ask("delete", "/meanings/{kind}/{code}", "/meanings/syslog/ramp%20stuck");
  const { body } = await ask("get", "/meanings");
  const { kind, original } = body.severities[0];
  await ask("post", "/severities", "/severities", { kind, original, severity: 4 });
  await ask("delete", "/severities/{kind}/{original}", `/severities/${kind}/${encodeURIComponent(original)}`);
  await ask("get", "/send-events.ps1");
  await ask("get", "/mibs");
  const source =
    "LAMP-MIB DEFINITIONS ::= BEGIN IMPORTS enterprises FROM SNMPv2-SMI; lamp OBJECT IDENTIFIER ::= { enterprises 32473 } END";
  await ask("post", "/mibs", "/mibs", { source });
  await ask("delete", "/mibs/{name}", "/mibs/LAMP-MIB");
  await ask("get", "/applications");
  const named = await ask("post", "/applications", "/applications", {
    name: "engine telemetry",
    protocol: 17,
    lowPort: 5_140,
    highPort: 5_140,
    network: null,
  });
  await ask("delete", "/applications/{id}", `/applications/${named.body.applications[0].id}`);
  await ask("get", "/domains");
  const ours = await ask("post", "/domains", "/domains", { domain: "Orvane.example" });
  expect(ours.body.domains).toMatchObject([{ domain: "orvane.example" }]);
  // the same in another case is the same; what is no domain, and what is not there, is refused
  expect((await ask("post", "/domains", "/domains", { domain: "orvane.EXAMPLE" })).body.domains).toHaveLength(1);
  await ask("post", "/domains", "/domains", { domain: "a b\u0000" }, 400);
  await ask("delete", "/domains/{domain}", "/domains/elsewhere.example", undefined, 404);
  expect((await ask("delete", "/domains/{domain}", "/domains/orvane.example")).body.domains).toEqual([]);
});

test("health, and what describes itself", async () => {
  // no role runs here
  await ask("get", "/health", "/health", undefined, 503);
  const { paths } = (await request(api.app).get("/api/v1/openapi.json")).body as {
    paths: Record<string, Record<string, object>>;
  };
  /** Asked elsewhere, with what they need: people's own sessions, streams, files, a certificate. */
  const ELSEWHERE = [
    "get /session",
    "post /session",
    "delete /session",
    "post /session/password",
    "get /records/live",
    "post /records/live",
    "post /imports",
    "post /imports/{id}/cancel",
    "post /quarantine/{file}/again",
    "post /quarantine/{file}/give-up",
    "get /certificate.pem",
    "get /notify/mib",
    "get /openapi.json",
  ];
  const all = Object.entries(paths).flatMap(([path, methods]) => Object.keys(methods).map((m) => `${m} ${path}`));
  expect(all.filter((r) => !asked.has(r) && !ELSEWHERE.includes(r))).toEqual([]);
  expect(ELSEWHERE.filter((r) => !all.includes(r))).toEqual([]);
});
