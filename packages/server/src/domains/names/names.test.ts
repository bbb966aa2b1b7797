import type { ApplicationList, DomainList, MeaningList, MibList } from "@halvik/contract/kinds";
import { US_PER_HOUR, US_PER_SECOND } from "@halvik/core/base/time";
import { emptyFlow } from "@halvik/core/decode/flow";
import { emptyContent, type RecordContent } from "@halvik/core/model/record";
import { nowUs } from "../../kernel/clock.js";
import { TestStore } from "../../testing/test-store.js";

/** What turns codes into words, as people change it: at once, for history, and back. */
let store: TestStore;
const T = nowUs() - US_PER_HOUR;

const flow = (at: number, dstPort: number, bytes: number): RecordContent => ({
  ...emptyContent("flow", T + at * US_PER_SECOND, T),
  src: "10.20.1.7",
  dst: "10.20.2.9",
  srcPort: 51_000,
  dstPort,
  protocol: 17,
  bytes,
  packets: 1,
  flow: { ...emptyFlow(), startUs: T, domain: 0, sequence: 0 },
});
const trap = (at: number): RecordContent => ({
  ...emptyContent("snmp", T + at * US_PER_SECOND, T),
  event: "1.3.6.1.4.1.32473.7.0.1",
  data: [["1.3.6.1.4.1.32473.7.1", "2"]],
});

beforeAll(async () => {
  store = await TestStore.start();
  const sender = await store.addSender("rt-orvane");
  await store.put([
    { sender, content: flow(0, 47_808, 5_000_000) },
    { sender, content: flow(1, 47_809, 1_000) },
    { sender, content: trap(2) },
    {
      sender,
      content: { ...emptyContent("syslog", T + 3e6, T), app: "ramp", text: "ramp stuck at berth 2", host: "ramp-2" },
    },
  ]);
}, 240_000);
afterAll(() => store?.dispose(), 240_000);

const post = async <A>(path: string, body: object, status = 200): Promise<A> =>
  (await store.api.post(path, body).expect(status)).body;
const remove = async <A>(path: string): Promise<A> => (await store.api.delete(path).expect(200)).body;
const found = async (filter: string): Promise<number> =>
  (await store.api.get(`/records?filter=${encodeURIComponent(filter)}`).expect(200)).body.records.length;
const refused = async (path: string, body: object): Promise<{ message: string; field?: string }> =>
  (await store.api.post(path, body).expect(400)).body.error;

describe("names of traffic", () => {
  const NAME = { name: "building controls", protocol: 17, lowPort: 47_808, highPort: null, network: null };

  test("a name holds for history at once, and is gone when it is taken back", async () => {
    expect(await found('application is "building controls"')).toBe(0);
    const { applications } = await post<ApplicationList>("/applications", NAME);
    expect(applications).toMatchObject([NAME]);
    expect(await found('application is "building controls"')).toBe(1);
    expect((await remove<ApplicationList>(`/applications/${applications[0]!.id}`)).applications).toEqual([]);
    expect(await found('application is "building controls"')).toBe(0);
  });

  test("a range, at a block; the narrower of two names stands", async () => {
    const wide = await post<ApplicationList>("/applications", { ...NAME, lowPort: 47_800, highPort: 47_900 });
    const both = await post<ApplicationList>("/applications", {
      ...{ name: "the boiler", protocol: 17, lowPort: 47_809, highPort: null, network: "10.20.2.0/24" },
    });
    expect(await found('application is "building controls"')).toBe(1);
    expect(await found('application is "the boiler"')).toBe(1);
    for (const { id } of [...wide.applications, ...both.applications]) await store.api.delete(`/applications/${id}`);
  });

  test.each<[string, object, string, RegExp]>([
    ["nothing to tell it by", { protocol: null, lowPort: null }, "lowPort", /name a protocol, a port or a network/],
    ["a range that ends before it begins", { highPort: 1 }, "highPort", /expected 47808 or more, got 1/],
    // it would have named all of its protocol
    ["a range that begins nowhere", { lowPort: null, highPort: 80 }, "lowPort", /name the port it begins at/],
    ["a block that is none", { network: "10.20.2" }, "network", /expected an address or block/],
  ])("%s is refused, with the field that is wrong", async (_what, over, field, message) => {
    const error = await refused("/applications", { ...NAME, ...over });
    expect(error.field).toBe(field);
    expect(error.message).toMatch(message);
  });

  test("a reader sees names and changes none", async () => {
    await store.api.get("/applications").expect(200);
    await store.api.post("/applications", NAME, store.api.reader).expect(403);
  });
});

describe("modules of SNMP", () => {
  const MODULE = `ORVANE-RAMP-MIB DEFINITIONS ::= BEGIN
IMPORTS enterprises, OBJECT-TYPE, NOTIFICATION-TYPE FROM SNMPv2-SMI;
ramp OBJECT IDENTIFIER ::= { enterprises 32473 7 }
rampState OBJECT-TYPE SYNTAX INTEGER { raised(1), stuck(2) } MAX-ACCESS read-only STATUS current DESCRIPTION "where it is" ::= { ramp 1 }
rampChanged NOTIFICATION-TYPE OBJECTS { rampState } STATUS current DESCRIPTION "it moved" ::= { ramp 0 1 }
END`;

  test("a module names what came before it: in filters, in sentences; without it there are numbers again", async () => {
    const unknown = async () =>
      (await store.api.get("/records?filter=event%20is%20rampChanged").expect(400)).body.error.message;
    expect(await unknown()).toContain("no record that is kept has event rampChanged");
    const { modules } = await post<MibList>("/mibs", { source: MODULE });
    expect(modules.find((m) => m.name === "ORVANE-RAMP-MIB")).toMatchObject({ shipped: false, problems: [] });
    expect(await found("event is rampChanged")).toBe(1);
    expect(await found("data rampState is stuck")).toBe(1);
    expect(await found("data rampState is raised")).toBe(0);
    const { body } = await store.api.get("/records?filter=event%20is%20rampChanged").expect(200);
    expect(body.records[0]).toMatchObject({ eventName: "rampChanged", sentence: expect.stringContaining("stuck") });
    const after = await remove<MibList>("/mibs/ORVANE-RAMP-MIB");
    expect(after.modules.find((m) => m.name === "ORVANE-RAMP-MIB")).toBeUndefined();
    expect(await unknown()).toContain("event rampChanged");
  });

  test("the same module again is the module, once; what it lacks is said", async () => {
    const lacking = MODULE.replace("FROM SNMPv2-SMI", "FROM SNMPv2-SMI lamp FROM LAMP-MIB");
    await post("/mibs", { source: MODULE });
    const { modules } = await post<MibList>("/mibs", { source: lacking });
    const [ours, ...others] = modules.filter((m) => m.name === "ORVANE-RAMP-MIB");
    expect(others).toEqual([]);
    expect(ours!.problems.map((p) => p.message).join(" ")).toContain("LAMP-MIB");
    await store.api.delete("/mibs/ORVANE-RAMP-MIB");
  });

  test("a text that is no module is refused with its place", async () => {
    const error = (await store.api.post("/mibs", { source: "A-MIB DEFINITIONS ::= BEGIN\n  x ::= }\nEND" }).expect(400))
      .body.error;
    expect(error).toMatchObject({ field: "source", line: 2 });
  });
});

describe("meanings", () => {
  const RAMP = {
    ...{ kind: "syslog", code: "ramp stuck", severity: 3, category: "service", outcome: "failure" },
    ...{ sentence: null, next: "Call the berth." },
  } as const;
  const own = (list: MeaningList) => list.meanings.filter((m) => m.own);

  test("one of one's own stands before the shipped one, which stands again when it is taken back", async () => {
    const shipped = (await store.api.get("/meanings").expect(200)).body as MeaningList;
    const logon = shipped.meanings.find((m) => m.kind === "windows" && m.sentence !== null)!;
    const { own: _, ...parts } = logon;
    const changed = await post<MeaningList>("/meanings", { ...parts, sentence: "somebody came in" });
    expect(own(changed)).toEqual([{ ...parts, sentence: "somebody came in", own: true }]);
    // one line, not two
    expect(changed.meanings).toHaveLength(shipped.meanings.length);
    const back = await remove<MeaningList>(`/meanings/windows/${encodeURIComponent(logon.code)}`);
    expect(own(back)).toEqual([]);
    expect(back.meanings).toHaveLength(shipped.meanings.length);
  });

  test("set twice it is the latter; a code with a slash is taken back as any other", async () => {
    const code = "a/b: ramp?";
    await post("/meanings", { ...RAMP, code });
    const twice = await post<MeaningList>("/meanings", { ...RAMP, code, severity: 2 });
    expect(own(twice)).toMatchObject([{ code, severity: 2 }]);
    expect(own(await remove<MeaningList>(`/meanings/syslog/${encodeURIComponent(code)}`))).toEqual([]);
  });

  test.each([
    ["braces around nothing", { sentence: "it is {}" }],
    ["a category that there is not", { category: "weather" }],
    ["a severity of nine", { severity: 9 }],
    ["no code", { code: "" }],
  ])("%s is refused", async (_what, over) => {
    expect((await refused("/meanings", { ...RAMP, ...over })).message).not.toBe("");
  });

  test("a kind's own word is given a severity; one that nobody shipped is listed, too", async () => {
    const { severities } = (await store.api.get("/meanings").expect(200)).body as MeaningList;
    const [first] = severities.filter((s) => s.kind === "windows");
    const changed = await post<MeaningList>("/severities", { kind: "windows", original: first!.original, severity: 1 });
    expect(changed.severities.filter((s) => s.own)).toEqual([{ ...first, severity: 1, own: true }]);
    const more = await post<MeaningList>("/severities", { kind: "json", original: "sev-A", severity: 2 });
    expect(more.severities.filter((s) => s.own && s.kind === "json")).toEqual([
      { kind: "json", original: "sev-A", severity: 2, own: true },
    ]);
    // taken back, each by itself: the shipped one stands again, and a word that nobody shipped is gone
    const takenBack = (kind: string, original: string) =>
      store.api.delete(`/severities/${kind}/${encodeURIComponent(original)}`).expect(200);
    const without = (await takenBack("json", "sev-A")).body as MeaningList;
    expect(without.severities.filter((s) => s.kind === "json" && s.original === "sev-A")).toEqual([]);
    expect(without.severities.filter((s) => s.own)).toEqual([{ ...first, severity: 1, own: true }]);
    const shipped = (await takenBack("windows", first!.original)).body as MeaningList;
    expect(shipped.severities).toEqual(severities);
    // what is not there is taken back already
    await takenBack("windows", "no / such % word");
    await store.api.delete("/severities/syslog/err").expect(400);
  });
});

describe("domains that are ours", () => {
  test("a name in one is found without it, in history too, until it is taken back", async () => {
    const sender = await store.addSender("dc-1");
    const content = { ...emptyContent("syslog", T + 5e6, T), host: "dc-1.orvane.example", users: ["ORVANE\\k.lind"] };
    await store.put([{ sender, content }]);
    expect(await found("host is dc-1 and user is k.lind")).toBe(0);
    await post("/domains", { domain: "orvane.example" });
    const { domains } = await post<DomainList>("/domains", { domain: "ORVANE" });
    expect(domains.map((d) => d.domain).sort()).toEqual(["orvane", "orvane.example"]);
    expect(await found("host is dc-1 and user is k.lind")).toBe(1);
    for (const domain of ["orvane", "orvane.example"]) await store.api.delete(`/domains/${domain}`).expect(200);
    expect(await found("host is dc-1")).toBe(0);
  });
});
