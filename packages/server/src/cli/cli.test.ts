import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import { pcapDatagram, pcapHeader } from "@halvik/core/decode/capture";
import pg from "pg";
import { connectionOf } from "../kernel/db/pool.js";
import { runInside } from "../testing/run-inside.js";
import { startTestInstance, type TestInstance } from "../testing/test-database.js";

/** The product's commands as a person at a shell has them: what they print, how they end, and what a mistake says. */
let instance: TestInstance;
let directory: string;
beforeAll(async () => {
  instance = await startTestInstance();
  directory = mkdtempSync(join(tmpdir(), "halvik-cli-"));
});
afterAll(async () => {
  await instance?.dispose();
  if (directory) rmSync(directory, { recursive: true, force: true });
});

const run = (args: readonly string[], input = "") => runInside(instance.env, args, input);
const file = (name: string, content: string | Uint8Array): string => {
  const path = join(directory, name);
  writeFileSync(path, content);
  return path;
};
/** One sentence for a person, no trace of the program's inside. */
const refused = (sentence: string | RegExp) => ({
  code: 1,
  out: "",
  err: expect.stringMatching(sentence instanceof RegExp ? sentence : new RegExp(`^halvik: ${sentence}\\n$`)),
});
const lines = (out: string): string[] => out.trim().split("\n");

describe("people and tokens", () => {
  test("an account: made, listed, not made twice, given a new password", async () => {
    const made = await run(["user", "add", "k.lind", "--role", "reader"]);
    expect(made).toMatchObject({ code: 0, err: "", out: expect.stringMatching(/^[a-z0-9]{5}(-[a-z0-9]{5}){3}\n$/) });
    expect(lines((await run(["user", "list"])).out)).toContain("k.lind\treader\tactive");
    expect(await run(["user", "add", "k.lind"])).toEqual(
      refused(/“k.lind” already; “user reset k.lind” gives it a new/),
    );
    const again = await run(["user", "reset", "k.lind"]);
    expect(again.out).not.toBe(made.out);
    expect(await run(["user", "add", "x", "--role", "king"])).toMatchObject({
      code: 1,
      err: expect.stringContaining("Allowed choices are owner, analyst, reader"),
    });
  });

  test("a token: shown once, for one thing, listed without its secret, revoked", async () => {
    const token = (await run(["token", "create", "probe", "--intake"])).out.trim();
    expect(token.length).toBeGreaterThan(30);
    const list = (await run(["token", "list"])).out;
    expect(list).toContain("probe");
    expect(list).toContain("intake");
    expect(list).not.toContain(token);
    expect(await run(["token", "create", "both", "--act", "--intake"])).toEqual(refused(/not for both/));
    expect(await run(["token", "create", "probe"])).toEqual(refused("there is a token “probe” already"));
    expect((await run(["token", "revoke", "probe"])).code).toBe(0);
    expect(await run(["token", "revoke", "nobody"])).toEqual(refused(/nobody/));
  });
});

describe("senders as CSV", () => {
  test("what is exported can be imported, changed, and is the same again", async () => {
    const csv =
      'name,addresses,site,notes\nsw-1,10.0.0.1,Torvika,"two, with ""quotes"""\nsw-2,"10.0.0.2, 10.0.0.3",,\n';
    expect((await run(["senders", "import", "-"], csv)).code).toBe(0);
    const exported = (await run(["senders", "export"])).out;
    expect(exported).toContain('"two, with ""quotes"""');
    expect((await run(["senders", "import", file("senders.csv", exported)])).code).toBe(0);
    expect((await run(["senders", "export"])).out).toBe(exported);
  });
  test.each([
    ["a column nobody knows", "name,adresses\na,10.0.0.9\n", /adresses/],
    ["an address that is none", "name,addresses\na,10.0.0.999\n", /line 2.*10\.0\.0\.999/],
    [
      "two senders with one address",
      "name,addresses\nb,10.0.0.7\nc,10.0.0.7\n",
      /sender “c”: the address 10\.0\.0\.7 belongs to “b”/,
    ],
    ["no name", "name,addresses\n,10.0.0.8\n", /line 2/],
  ])("%s: nothing is taken, and the place is said", async (_what, csv, sentence) => {
    const before = (await run(["senders", "export"])).out;
    expect(await run(["senders", "import", "-"], csv)).toEqual(refused(sentence));
    expect((await run(["senders", "export"])).out).toBe(before);
  });
});

describe("rules as files", () => {
  test("every rule in a file of its own; imported back, nothing is new; one changed is its next version", async () => {
    const rules = join(directory, "rules");
    expect((await run(["rules", "export", rules])).code).toBe(0);
    const files = readdirSync(rules);
    expect(files.length).toBeGreaterThan(40);
    const again = await run(["rules", "import", rules]);
    expect(again).toMatchObject({ code: 0, err: "" });
    expect(again.out).toMatch(new RegExp(`${files.length}.*(same|unchanged|as they are)|0 (new|changed)`, "s"));
    const one = join(rules, "refused-logons.yaml");
    writeFileSync(one, readFileSync(one, "utf8").replace(/^severity: .*$/m, "severity: critical"));
    expect(await run(["rules", "import", one])).toMatchObject({ code: 0, out: "1 read, 1 saved, 0 unchanged\n" });
  });
  test("tests run by themselves; one that fails ends with 1 and says how", async () => {
    const rule = (raises: number) => `id: own
name: Own
kind: count
severity: notice
filter: app is x
key: []
count: 2
windowSeconds: 60
title: t
clear: { by: hand }
tests:
  - { name: two, raises: ${raises}, records: [{ at: 0, times: 2, syslog: "<13>x: y" }] }
`;
    expect(await run(["rules", "test", file("good.yaml", rule(1))])).toMatchObject({ code: 0 });
    const bad = await run(["rules", "test", file("bad.yaml", rule(2))]);
    expect(bad.code).toBe(1);
    expect(bad.out + bad.err).toMatch(/two.*2.*1/s);
    expect(await run(["rules", "import", join(directory, "bad.yaml")])).toEqual(
      refused("no rule was saved: own: test “two” expects 2 findings and has 1"),
    );
    const broken = await run(["rules", "import", file("broken.yaml", rule(1).replace("count: 2", "count: many"))]);
    expect(broken).toEqual(refused(/broken\.yaml.*count/s));
    expect(await run(["rules", "import", join(directory, "is-not-there.yaml")])).toEqual(refused(/is-not-there/));
  });
});

describe("files", () => {
  const TEXT = "<11>app: one\n<11>app: two\n\n<11>app: three\n";
  const stored = async () => {
    const client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
    await client.connect();
    const { rows } = await client.query<{ n: number }>("select coalesce(sum(rows), 0)::int as n from segment");
    await client.end();
    return rows[0]!.n;
  };

  test("a receipt; the same again says so and adds nothing, unless told to; packed it is the same file's content, not its bytes", async () => {
    await run(["senders", "import", "-"], "name,addresses\nbox,198.51.100.5\n");
    const path = file("log.txt", TEXT);
    const before = await stored();
    const first = await run(["import", path, "--peer", "198.51.100.5"]);
    expect(first).toMatchObject({
      code: 0,
      out: expect.stringMatching(/4 read, 3 stored, 1 refused: EMPTY|4 read, 4 stored/),
    });
    const after = await stored();
    expect(after).toBeGreaterThan(before);
    expect((await run(["import", path, "--peer", "198.51.100.5"])).out).toContain("nothing was added");
    expect(await stored()).toBe(after);
    expect((await run(["import", path, "--peer", "198.51.100.5", "--again"])).out).toMatch(/4 read/);
    expect(await stored()).toBe(2 * after - before);
    expect(
      (await run(["import", file("log.gz", gzipSync(`<11>app: packed\n`)), "--peer", "198.51.100.5"])).out,
    ).toContain("1 read, 1 stored");
  });

  test("a capture's packets become flows where that is asked for, of both ways, as told by whoever captured", async () => {
    await run(["senders", "import", "-"], "name,addresses\nbox,198.51.100.5\n");
    const at = 1_764_331_200_000_000;
    const capture = Buffer.concat([
      pcapHeader(),
      pcapDatagram(at, "10.9.9.1", 5_000, "203.0.113.53", 53, new Uint8Array(20)),
      pcapDatagram(at + 1_000, "203.0.113.53", 53, "10.9.9.1", 5_000, new Uint8Array(120)),
    ]);
    const path = file("dns.pcap", capture);
    expect(await run(["import", path, "--meter"])).toEqual(refused(/--meter needs --peer/));
    expect((await run(["import", file("no.txt", "<13>a: b\n"), "--meter", "--peer", "198.51.100.5"])).err).toMatch(
      /no capture/,
    );
    // its messages are none Halvik reads; its packets are another thing, and each is taken once
    await run(["import", path]);
    expect((await run(["import", path, "--meter", "--peer", "198.51.100.5"])).out).toMatch(/1 read, 1 stored/);
    expect((await run(["import", path, "--meter", "--peer", "198.51.100.5"])).out).toContain("nothing was added");
    const client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
    await client.connect();
    const { rows: segments } = await client.query<{ name: string }>("select name from segment where shape = 'flow'");
    const { rows } = await client.query(
      `select host(src) as src, dst_port, bytes::int as bytes, reverse_bytes::int as back, time from segments.${segments[segments.length - 1]!.name}`,
    );
    await client.end();
    expect(rows).toEqual([{ src: "10.9.9.1", dst_port: 53, bytes: 48, back: 148, time: at + 1_000 }]);
  });

  test("what an import brought in is taken out again, from the sums too; then the file can be imported again", async () => {
    await run(["senders", "import", "-"], "name,addresses\nbox,198.51.100.5\n");
    const sums = async () => {
      const client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
      await client.connect();
      const { rows } = await client.query(
        `select (select sum(count)::int from rollup_minute) as minutes, (select sum(count)::int from rollup_five_minutes) as fives,
           (select sum(count)::int from rollup_hour) as hours,
           (select sum(rows)::int from segment) as rows, (select count(*)::int from imported_file) as files`,
      );
      await client.end();
      return rows[0];
    };
    await run(["import", file("stays.txt", "<11>app: stays\n"), "--peer", "198.51.100.5"]);
    const before = await sums();
    const header =
      "version account-id interface-id srcaddr dstaddr srcport dstport protocol packets bytes start end action log-status";
    const path = file(
      "last-year.txt",
      `${header}\n2 1 eni-1 10.0.0.1 10.0.0.2 1 443 6 10 840 1732442400 1732442460 ACCEPT OK\n2 1 eni-1 10.0.0.1 10.0.0.3 1 443 6 10 60 1732442400 1732442460 ACCEPT OK\n`,
    );
    const first = await run(["import", path, "--peer", "198.51.100.5"]);
    const id = /import (\d+): 2 read, 2 stored/.exec(first.out)![1]!;
    expect((await sums()).rows).toBe(before.rows + 2);
    expect((await run(["import", "list"])).out).toContain(`${id}\t`);
    expect(await run(["import", "remove", id])).toMatchObject({ code: 0, out: `import ${id}: 2 records removed\n` });
    expect(await sums()).toEqual(before);
    expect((await run(["import", path, "--peer", "198.51.100.5"])).out).toContain("2 read, 2 stored");
    expect(await run(["import", "remove", "999999"])).toEqual(refused(/there is no import 999999/));
    expect(await run(["import", "remove", "1; drop table segment"])).toEqual(refused(/number of an import/));
  });
  test("who sent it must be said; a moment must be one; a file must be there", async () => {
    const path = file("other.txt", "<11>app: x\n");
    expect(await run(["import", path])).toMatchObject({ code: 1, err: expect.stringContaining("--peer") });
    expect(await run(["import", path, "--peer", "not-an-address"])).toMatchObject({ code: 1 });
    expect(await run(["import", path, "--peer", "198.51.100.5", "--received", "yesterday"])).toMatchObject({ code: 1 });
    expect(await run(["import", join(directory, "none.txt"), "--peer", "198.51.100.5"])).toEqual(refused(/none\.txt/));
  });
  test("decode: counters and the agent of sFlow are shown; a message cut by the end of its stream says so", async () => {
    // sFlow version 5: a counters sample with generic interface counters (88 octets), written from the structures of its section 5
    const u32 = (...n: number[]) => Buffer.concat(n.map((v) => Buffer.from(v.toString(16).padStart(8, "0"), "hex")));
    const generic = u32(7, 6, 0, 1_000_000_000, 1, 3, 0, 5_000, 1, 0, 0, 0, 0, 0, 0, 9_000, 2, 0, 0, 0, 0, 0);
    const sample = Buffer.concat([u32(1, 7, 1, 1, generic.length), generic]);
    const datagram = Buffer.concat([
      u32(5, 1),
      Buffer.from([10, 20, 2, 10]),
      u32(0, 1, 1_000, 1, 2, sample.length),
      sample,
    ]);
    const out = lines((await run(["decode", file("counters.bin", datagram), "--kind", "flow"])).out).map((l) =>
      JSON.parse(l),
    );
    expect(out).toMatchObject([
      { agent: "10.20.2.10", counters: { interface: 7, speed: "1000000000", inOctets: "5000", outOctets: "9000" } },
    ]);
  });
  test("decode: a record a line, errors as lines with their place, from a file or a pipe", async () => {
    const out = lines(
      (
        await run(
          ["decode", "-", "--received", "2026-11-25T10:00:00Z"],
          "<34>Oct 11 22:14:15 m su: 'su root' failed\n<999>x\n",
        )
      ).out,
    ).map((l) => JSON.parse(l) as Record<string, unknown>);
    expect(out[0]).toMatchObject({ host: "m", app: "su", severity: "critical" });
    expect(out[1]).toMatchObject({ problem: { code: "INVALID_PRI" } });
    expect(await run(["decode", "-", "--kind", "telex"], "x")).toMatchObject({
      code: 1,
      err: expect.stringContaining("Allowed choices"),
    });
  });
});

describe("what may be taken away", () => {
  test("an account is disabled, enabled, given another role, signed out and removed; the last owner stays", async () => {
    await run(["user", "add", "m.dahl", "--role", "analyst"]);
    const listed = async () => lines((await run(["user", "list"])).out).find((l) => l.startsWith("m.dahl"));
    expect((await run(["user", "disable", "M.Dahl"])).code).toBe(0);
    expect(await listed()).toBe("m.dahl\tanalyst\tdisabled");
    expect((await run(["user", "enable", "m.dahl"])).code).toBe(0);
    expect((await run(["user", "role", "m.dahl", "reader"])).code).toBe(0);
    expect((await run(["user", "sessions", "m.dahl"])).code).toBe(0);
    expect(await listed()).toBe("m.dahl\treader\tactive");
    // the same person under another spelling is no second one, and loses nothing
    expect(await run(["user", "add", "Owner", "--role", "reader"])).toEqual(refused(/“owner” already/));
    expect(await run(["user", "add", "HALVIK", "--role", "owner"])).toEqual(refused(/calls itself/));
    await run(["user", "add", "\u00c5se", "--role", "reader"]);
    expect(await run(["user", "add", "a\u030aSE", "--role", "owner"])).toEqual(refused(/already/));
    expect((await run(["user", "remove", "A\u030ase"])).code).toBe(0);
    for (const command of [["disable"], ["remove"]])
      expect(await run(["user", ...command, "owner"])).toEqual(refused(/the only owner/));
    expect(await run(["user", "role", "owner", "reader"])).toEqual(refused(/the only owner/));
    expect((await run(["user", "remove", "m.dahl"])).code).toBe(0);
    expect(await listed()).toBeUndefined();
  });
  test("an investigation whose owner has no account any more is given to another one", async () => {
    await run(["user", "add", "k.berg", "--role", "analyst"]);
    const client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
    await client.connect();
    const facts = {
      name: "A night",
      people: [
        { name: "owner", may: "read" },
        { name: "x", may: "read" },
      ],
    };
    const { rows } = await client.query(
      `insert into paper (name, facts, owner, state, shared, created_us, changed_us, changed_by)
       values ('A night', $1, 'k.berg', 'open', false, 1, 1, 'k.berg') returning id`,
      [JSON.stringify(facts)],
    );
    const { id } = rows[0] as { id: number };
    const listed = async () => lines((await run(["investigations", "list"])).out).find((l) => l.startsWith(`${id}\t`));
    expect(await listed()).toBe(`${id}\tA night\topen\tk.berg`);
    expect((await run(["user", "remove", "k.berg"])).code).toBe(0);
    expect(await listed()).toBe(`${id}\tA night\topen\tk.berg (no account)`);
    expect(await run(["investigations", "give", String(id), "nobody"])).toEqual(refused(/nobody/));
    expect(await run(["investigations", "give", "999999", "owner"])).toEqual(refused(/no investigation 999999/));
    expect((await run(["investigations", "give", String(id), "Owner"])).code).toBe(0);
    expect(await listed()).toBe(`${id}\tA night\topen\towner`);
    const kept = await client.query("select facts->'people' as people from paper where id = $1", [id]);
    expect(kept.rows[0].people).toEqual([{ name: "x", may: "read" }]);
    await client.end();
  });
  test("a token that runs out says until when", async () => {
    expect((await run(["token", "create", "short", "--expires", "30"])).code).toBe(0);
    expect((await run(["token", "list"])).out).toMatch(/short\tread\tactive until \d{4}-\d\d-\d\d/);
    expect((await run(["token", "create", "never", "--expires", "soon"])).code).toBe(1);
  });
});

describe("endpoints and routes", () => {
  test("an endpoint: added, listed with its state, switched off, removed; a taken port is said", async () => {
    const help = (await run(["endpoints", "--help"])).out;
    expect(help).toContain("add");
    const list = lines((await run(["endpoints", "list"])).out);
    expect(list.length).toBeGreaterThanOrEqual(8);
    expect(list.join("\n")).toContain("syslog over UDP");
  });
  test("a route: an address must be one; what was added is listed and can be taken away", async () => {
    expect(await run(["routes", "add", "duty", "--to", "nobody"])).toMatchObject({ code: 1 });
    expect(await run(["routes", "add", "duty", "--to", "duty@orvane.example"])).toMatchObject({ code: 0 });
    const [route] = lines((await run(["routes", "list"])).out).map(
      (l) => JSON.parse(l) as { id: number; name: string },
    );
    expect(route).toMatchObject({ name: "duty" });
    expect((await run(["routes", "remove", String(route!.id)])).code).toBe(0);
    expect((await run(["routes", "list"])).out.trim()).toBe("");
    expect(await run(["routes", "remove", "999"])).toMatchObject({ code: 1 });
  });
});
