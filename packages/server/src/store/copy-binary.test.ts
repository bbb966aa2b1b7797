import { once } from "node:events";
import fc from "fast-check";
import pg from "pg";
import { from as copyFrom } from "pg-copy-streams";
import { connectionOf } from "../kernel/db/pool.js";
import { takes } from "../testing/copy-judge.js";
import { startTestInstance, type TestInstance } from "../testing/test-database.js";
import { CopyEncoder, type CopyType } from "./copy-binary.js";
import { CopyDecoder } from "./copy-decode.js";
import { copiedRows, copyOut } from "./copy-out.js";
import { formatRecordId, IdSource } from "./record-id.js";

/** What is written in PostgreSQL's binary form is what PostgreSQL reads: the server itself is the judge. */
let instance: TestInstance;
let client: pg.Client;
beforeAll(async () => {
  instance = await startTestInstance();
  client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
});
afterAll(async () => {
  await client?.end();
  await instance?.dispose();
});

const COLUMN: Readonly<Record<CopyType, string>> = {
  int8: "int8",
  int4: "int4",
  int2: "int2",
  text: "text",
  inet: "inet",
  jsonb: "jsonb",
  bytea: "bytea",
  "text[]": "text[]",
  "inet[]": "inet[]",
  "record id": "int8",
  "id text": "int8",
};

/** Rows written by COPY and read back as PostgreSQL prints them. */
async function throughCopy(
  types: readonly CopyType[],
  rows: readonly (readonly unknown[])[],
  encoder = new CopyEncoder(types, 64),
) {
  await client.query("drop table if exists copied");
  await client.query(`create temp table copied (n serial, ${types.map((t, i) => `c${i} ${COLUMN[t]}`).join(", ")})`);
  for (const row of rows) encoder.row(row);
  const stream = client.query(
    copyFrom(`copy copied (${types.map((_, i) => `c${i}`).join(", ")}) from stdin (format binary)`),
  );
  stream.end(encoder.finish());
  await once(stream, "finish");
  const read = await client.query({
    text: `select ${types.map((t, i) => (t === "bytea" || t === "jsonb" || t.endsWith("[]") ? `to_json(c${i})` : `c${i}::text`)).join(", ")} from copied order by n`,
    rowMode: "array",
  });
  return read.rows as unknown[][];
}

describe("one value", () => {
  test.each<[CopyType, unknown, unknown]>([
    ["int2", -1, "-1"],
    ["int2", 32_767, "32767"],
    ["int2", -32_768, "-32768"],
    ["int4", 0, "0"],
    ["int4", 2_147_483_647, "2147483647"],
    ["int4", -2_147_483_648, "-2147483648"],
    ["int8", Number.MAX_SAFE_INTEGER, "9007199254740991"],
    ["int8", -Number.MAX_SAFE_INTEGER, "-9007199254740991"],
    ["int8", -1, "-1"],
    ["int8", 4_294_967_296, "4294967296"],
    ["id text", "9223372036854775807", "9223372036854775807"],
    ["record id", { us: 1_700_000_000_000_000, collector: 1_023 }, "1740800000000001023"],
    ["text", "", ""],
    ["text", "æøå 日本 🚢", "æøå 日本 🚢"],
    ["text", `${"a".repeat(47)}é`, `${"a".repeat(47)}é`],
    ["text", "\\N\t\n\\.", "\\N\t\n\\."],
    ["inet", "192.0.2.1", "192.0.2.1/32"],
    ["inet", "2001:db8::1", "2001:db8::1/128"],
    ["inet", "::ffff:192.0.2.1", "::ffff:192.0.2.1/128"],
    ["jsonb", { b: [1, "x\u2028"], a: null }, { a: null, b: [1, "x\u2028"] }],
    ["bytea", Uint8Array.from([0, 255, 10, 92]), "\\x00ff0a5c"],
    ["bytea", new Uint8Array(0), "\\x"],
    ["text[]", [], []],
    ["text[]", ["", "a,b", '"', "{}"], ["", "a,b", '"', "{}"]],
    ["inet[]", ["10.0.0.1", "fe80::1"], ["10.0.0.1", "fe80::1"]],
    ["text", null, null],
    ["text[]", undefined, null],
  ])("%s %j", async (type, value, want) => expect(await throughCopy([type], [[value]])).toEqual([[want]]));
});

/** The rows that were copied last, by COPY again. */
async function backByCopy(types: readonly CopyType[], most = 1_000): Promise<unknown[][]> {
  const rows: unknown[][] = [];
  const columns = [{ name: "n", copy: "int8" as const }, ...types.map((copy, i) => ({ name: `c${i}`, copy }))];
  // rows have numbers for ids
  await client.query("alter table copied add column if not exists id bigint");
  await client.query("update copied set id = n");
  await copyOut(client, columns, { table: "copied", after: "0", upTo: "9223372036854775807", most }, ([, ...values]) =>
    rows.push(values),
  );
  return rows;
}

describe("one value, by COPY and back by COPY", () => {
  test.each<[CopyType, unknown, unknown?]>([
    ...[-1, 0, 32_767, -32_768].map((n) => ["int2", n] as [CopyType, unknown]),
    ...[-1, 2_147_483_647, -2_147_483_648].map((n) => ["int4", n] as [CopyType, unknown]),
    ...[0, -1, 2 ** 32, 2 ** 53 - 1, -(2 ** 53) + 1].map((n) => ["int8", n] as [CopyType, unknown]),
    ["int8", 2n ** 63n - 1n],
    ["int8", -(2n ** 63n)],
    ["int8", 2n ** 53n],
    ["id text", "9223372036854775807"],
    ["record id", { us: 1_700_000_000_000_000, collector: 1_023 }, "1740800000000001023"],
    ...["", "æøå 日本 🚢", "\\N\t\n\\.", "x".repeat(70_000)].map((t) => ["text", t] as [CopyType, unknown]),
    ...["192.0.2.1", "255.255.255.255", "2001:db8::1", "::", "::102:304"].map(
      (a) => ["inet", a] as [CopyType, unknown],
    ),
    // one address, whichever way it is written (`docs/semantics.md`)
    ["inet", "::ffff:192.0.2.1", "192.0.2.1"],
    ["jsonb", { a: null, b: [1, "x\u2028"] }],
    ["bytea", Buffer.from([0, 255, 10, 92])],
    ["text[]", []],
    ["text[]", ["", "a,b", '"', "{}", "æ"]],
    ["inet[]", ["10.0.0.1", "fe80::1"]],
    ["text", null],
  ])("%s %p", async (type, value, want = value) => {
    await throughCopy([type], [[value]]);
    expect(await backByCopy([type])).toEqual([[want]]);
  });

  test("what is asked for is what comes: no more rows, none before or after; a mistake says what it is", async () => {
    await throughCopy(["int4"], [[1], [2], [3], [4]]);
    expect(await backByCopy(["int4"], 2)).toEqual([[1], [2]]);
    const columns = [{ name: "c0", copy: "int4" as const }];
    const rows: unknown[] = [];
    await copyOut(client, columns, { table: "copied", after: "1", upTo: "3", most: 9 }, ([v]) => rows.push(v));
    expect(rows).toEqual([2, 3]);
    const of = (table: string, after = "0") => ({ table, after, upTo: "9", most: 9 });
    await expect(copyOut(client, columns, of("nowhere"), () => undefined)).rejects.toMatchObject({ code: "42P01" });
    await expect(copyOut(client, columns, of("copied", "1; drop table copied"), () => undefined)).rejects.toThrow();
    // the connection is as good as before
    expect((await client.query("select count(*)::int as n from copied")).rows).toEqual([{ n: 4 }]);
    const pool = new pg.Pool({ ...connectionOf(instance.config, instance.secrets, "owner"), max: 1 });
    await expect(copyOut(pool, columns, of("nowhere"), () => undefined)).rejects.toMatchObject({ code: "42P01" });
    await copyOut(pool, [{ name: "name", copy: "text" }], { ...of("segment"), after: "0" }, () => undefined).catch(
      (e) => expect(e).toMatchObject({ code: "42703" }),
    );
    expect((await pool.query("select 1 as one")).rows).toEqual([{ one: 1 }]);
    await pool.end();
  });
});

describe("what COPY gives, cut anywhere", () => {
  const rows = [
    [1, "one", ["a", "b"]],
    [2, null, null],
    [3, "x".repeat(300), []],
    [4, "", ["", "æ"]],
  ];
  const types: readonly CopyType[] = ["int4", "text", "text[]"];
  const whole = () => {
    const encoder = new CopyEncoder(types, 64);
    for (const row of rows) encoder.row(row);
    return Buffer.from(encoder.finish());
  };
  const read = (parts: readonly Buffer[]) => {
    const decoder = new CopyDecoder(types);
    const out: unknown[][] = [];
    const values: unknown[] = [];
    for (const part of parts) {
      decoder.push(part);
      while (decoder.next(values)) out.push([...values]);
    }
    return out;
  };

  test("octet by octet, and in two at every place", () => {
    const body = whole();
    expect(read([...body].map((_, i) => body.subarray(i, i + 1)))).toEqual(rows);
    for (let cut = 0; cut <= body.length; cut++)
      expect(read([body.subarray(0, cut), body.subarray(cut)])).toEqual(rows);
  });

  test("what ends early gives the rows that are whole", () => {
    const body = whole();
    expect(read([body.subarray(0, body.length - 3)])).toEqual(rows.slice(0, 3));
    expect(read([])).toEqual([]);
  });

  test("a row of many parts is put together a few times, not once a part", () => {
    const encoder = new CopyEncoder(["text"], 64);
    const long = "y".repeat(4_000_000);
    encoder.row([long]);
    encoder.row(["z"]);
    const body = Buffer.from(encoder.finish());
    const decoder = new CopyDecoder(["text"]);
    const concat = jest.spyOn(Buffer, "concat");
    const values: unknown[] = [];
    const out: unknown[] = [];
    for (let at = 0; at < body.length; at += 10_000) {
      decoder.push(body.subarray(at, at + 10_000));
      while (decoder.next(values)) out.push(values[0]);
    }
    expect(out).toEqual([long, "z"]);
    expect(concat.mock.calls.length).toBeLessThan(6);
    concat.mockRestore();
  });

  test("other columns than were asked for are a fault, and whoever throws or stops in the midst leaves the connection good", async () => {
    await client.query(
      "create temp table if not exists many as select n as id, repeat('x', 100) as t from generate_series(1, 50000) n",
    );
    const asked = (columns: readonly CopyType[], read: () => void) =>
      copiedRows(client, "select id::int, t from many order by id", columns, read);
    await expect(asked(["int4"], () => undefined).next()).rejects.toThrow("2 columns where 1 were asked for");
    const throws = () => {
      throw new Error("no more");
    };
    await expect(asked(["int4", "text"], throws).next()).rejects.toThrow("no more");
    for await (const some of asked(["int4", "text"], () => undefined)) {
      expect(some.length).toBeLessThan(50_000);
      break;
    }
    expect((await client.query("select count(*)::int as n from many")).rows).toEqual([{ n: 50_000 }]);
  });
});

/** Whether a value arrives as it is, by the server's own account. */
async function arrives(type: CopyType, value: unknown): Promise<boolean> {
  try {
    const [[read]] = (await throughCopy([type], [[value]])) as [[unknown]];
    if (type === "record id") return true;
    return type === "inet"
      ? (read as string).replace(/\/\d+$/, "") === value
      : JSON.stringify(read) === JSON.stringify(type === "int8" || type.startsWith("int") ? String(value) : value);
  } catch {
    return false;
  }
}

// what is too great for the encoder it writes as another number, and lone surrogates as another sign: COPY alone would not tell
describe("what the judge of values says, the server says", () => {
  const texts = ["a", "", "\0", "a\u0000b", "\ud800", "\udc00x", "🚢", "\ufffe", "\u2028"];
  test.each<[CopyType, unknown]>([
    ...[0, 255, -1, 32_767, 32_768, -32_768, -32_769, 99_999, 2 ** 31, 1.5].map(
      (n) => ["int2", n] as [CopyType, unknown],
    ),
    ...[2 ** 31 - 1, 2 ** 31, -(2 ** 31), -(2 ** 31) - 1, 2 ** 32, 0.5].map((n) => ["int4", n] as [CopyType, unknown]),
    ...[2 ** 53 - 1, -(2 ** 53) + 1, 2n ** 63n - 1n, 2n ** 63n, -(2n ** 63n), 1.5].map(
      (n) => ["int8", n] as [CopyType, unknown],
    ),
    ...texts.map((t) => ["text", t] as [CopyType, unknown]),
    ...texts.map((t) => ["text[]", ["a", t]] as [CopyType, unknown]),
    ...texts.map((t) => ["jsonb", [["name", t]]] as [CopyType, unknown]),
    ...texts.map((t) => ["jsonb", { [t]: null }] as [CopyType, unknown]),
    ...["10.0.0.1", "fe80::1", "fe80::1%eth0", "10.0.0.256", "", "10.0.0.1/8"].map(
      (a) => ["inet", a] as [CopyType, unknown],
    ),
  ])("%s %p", async (type, value) => expect(takes(type, value)).toBe(await arrives(type, value)));
});

test("a lone half of a surrogate pair becomes the replacement sign, and nothing after it moves", async () =>
  expect(await throughCopy(["text", "int4"], [["a\ud800b", 7]])).toEqual([["a\ufffdb", "7"]]));

test("a body begun anew in the same memory holds the new rows alone", async () => {
  const encoder = new CopyEncoder(["text"], 32);
  expect(await throughCopy(["text"], [["one"], ["two"]], encoder)).toEqual([["one"], ["two"]]);
  encoder.restart();
  expect(await throughCopy(["text"], [["x".repeat(100_000)]], encoder)).toEqual([["x".repeat(100_000)]]);
});

test("pieces, taken as rows are written, are the whole; later rows leave those taken as they are", () => {
  const rows = Array.from({ length: 20 }, (_, i) => [`row ${i} ${"x".repeat(i * 9)}`, i]);
  const whole = new CopyEncoder(["text", "int4"], 32);
  for (const row of rows) whole.row(row);
  const pieces: Buffer[] = [];
  const encoder = new CopyEncoder(["text", "int4"], 32);
  for (const [i, row] of rows.entries()) {
    encoder.row(row);
    if (i % 7 === 6) pieces.push(encoder.takePiece());
  }
  pieces.push(encoder.finish());
  expect(pieces).toHaveLength(3);
  expect(Buffer.concat(pieces)).toEqual(whole.finish());
});

test("any rows of any types come back as they were", async () => {
  // what a record's text can hold: everything but NUL, which is kept otherwise
  const text = fc.string({ unit: "binary", maxLength: 60 }).map((s) => s.replaceAll("\0", ""));
  const value: Readonly<Partial<Record<CopyType, fc.Arbitrary<unknown>>>> = {
    int2: fc.integer({ min: -32_768, max: 32_767 }),
    int4: fc.integer(),
    int8: fc.maxSafeInteger(),
    text,
    "text[]": fc.array(text, { maxLength: 4 }),
    jsonb: fc.dictionary(text, text, { maxKeys: 3, noNullPrototype: true }),
    bytea: fc.uint8Array({ maxLength: 30 }),
  };
  const types = Object.keys(value) as CopyType[];
  const row = fc.tuple(...types.map((t) => fc.option(value[t]!, { freq: 6 })));
  await fc.assert(
    fc.asyncProperty(fc.array(row, { minLength: 1, maxLength: 20 }), async (rows) => {
      const read = await throughCopy(types, rows);
      const want = rows.map((r) =>
        r.map((v, i) => {
          if (v === null) return null;
          if (types[i] === "bytea") return `\\x${Buffer.from(v as Uint8Array).toString("hex")}`;
          return types[i]!.startsWith("int") ? String(v) : v;
        }),
      );
      expect(read).toEqual(want);
      const back = await backByCopy(types);
      expect(back.map((r) => r.map((v) => (Buffer.isBuffer(v) ? new Uint8Array(v) : v)))).toEqual(rows);
    }),
    { seed: 17, numRuns: 40 },
  );
});

test("ids of one collector rise even where the clock stands still or goes back (`docs/semantics.md` 4)", () => {
  const ids = new IdSource(3, 1_000);
  const given = [500, 2_000, 2_000, 1_500].map((now) => ids.next(now));
  expect(given.map((p) => p.us)).toEqual([1_001, 2_000, 2_001, 2_002]);
  const texts = given.map(formatRecordId);
  expect([...texts].sort((a, b) => (BigInt(a) < BigInt(b) ? -1 : 1))).toEqual(texts);
  expect(formatRecordId({ us: 2, collector: 5 })).toBe(String(2 * 1_024 + 5));
});
