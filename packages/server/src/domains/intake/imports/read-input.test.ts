import { gzipSync } from "node:zlib";
import fc from "fast-check";
import type { InputMessage } from "./input-message.js";
import { readInput } from "./read-input.js";

/** What a file is told to be, and that it is cut into the same messages however its bytes come. */
async function* pieces(bytes: Uint8Array, size: number): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < bytes.length; at += size) yield bytes.subarray(at, at + size);
}
const said = (m: InputMessage): string => {
  switch (m.type) {
    case "item":
      return `${m.protocol} ${m.line}: ${Buffer.from(m.bytes).toString("utf8")}`;
    case "bad item":
      return `${m.problem.code} ${m.line}: ${m.problem.message}`;
    case "problem":
      return `${m.problem.code}: ${m.problem.message}`;
    default:
      return `${m.protocol} from ${m.src}: ${Buffer.from(m.bytes).toString("utf8")}`;
  }
};
async function read(
  input: string | Uint8Array,
  size = 65_536,
  whole: "snmp" | "flow" | null = null,
): Promise<string[]> {
  const bytes = typeof input === "string" ? Buffer.from(input, "utf8") : input;
  const out: string[] = [];
  for await (const messages of readInput(pieces(bytes, size), whole))
    for (const message of messages) out.push(said(message));
  return out;
}

const EVENT = (n: number, inside = "") => `<Event xmlns="x"><System><EventID>${n}</EventID></System>${inside}</Event>`;
const HEADER =
  "version account-id interface-id srcaddr dstaddr srcport dstport protocol packets bytes start end action log-status";

describe("what a file is", () => {
  test.each<[string, string, readonly (string | RegExp)[]]>([
    ["lines of text", "<13>a: 1\n<13>a: 2\n", ["syslog 1: <13>a: 1", "syslog 2: <13>a: 2"]],
    ["a last line without its end", "a\nb", ["syslog 1: a", "syslog 2: b"]],
    [
      "empty lines are records too, until someone says otherwise",
      "a\n\nb\n",
      ["syslog 1: a", "syslog 2: ", "syslog 3: b"],
    ],
    ["nothing", "", ["EMPTY: the file holds nothing"]],
    [
      "events",
      `<?xml version="1.0"?><Events>${EVENT(1)}\n${EVENT(2)}</Events>`,
      [`windows 1: ${EVENT(1)}`, `windows 2: ${EVENT(2)}`],
    ],
    ["events without a root", `${EVENT(1)}${EVENT(2)}`, [/^windows 1/, /^windows 2/]],
    ["events with a mark of their order", `\ufeff${EVENT(1)}`, [/^windows 1/]],
    ["an element whose name only begins so", `<EventData/>${EVENT(1)}`, [/^windows 1/]],
    ["an event cut off", `${EVENT(1)}<Event><System>`, [/^windows 1/, /^TRUNCATED 2: .*<\/Event>/]],
    [
      "a document type: nothing after it is read",
      `${EVENT(1)}<!DOCTYPE x [<!ENTITY a "b">]>${EVENT(2)}`,
      [/^windows 1/, /^FORBIDDEN_XML/],
    ],
    [
      "what stands in a comment is neither a declaration nor an event",
      `<!-- <!x> <Event> -->${EVENT(1)}`,
      [/^windows 1/],
    ],
    ["another document", "<Foo/>", [/^BAD_XML 1: .*expected Event/]],
    ["an event cut off before a good one", `<Event><System>${EVENT(2)}`, [/^TRUNCATED 1/, /^windows 2/]],
    ["objects, one a line", '{"a":1}\n\n{"a":2}\n', ['json 1: {"a":1}', 'json 3: {"a":2}']],
    ["an array over several lines", '[\n{"a":1},\n{"a":2}\n]', ['json 1: {"a":1}', 'json 2: {"a":2}']],
    ["an object over several lines", '{\n"a": 1\n}', ['json 1: {\n"a": 1\n}']],
    [
      "a table with its header",
      `${HEADER}\n2 1 eni 10.0.0.1 10.0.0.2 1 2 6 3 4 5 6 ACCEPT OK\n`,
      [/^columns 2: version .*\n2 1 eni/],
    ],
    [
      "line ends within quotes are of their value (RFC 4180 section 2.6); a stray quote costs its own row",
      'time,src,dst,action,note\n1,10.0.0.1,10.0.0.2,deny,"a\r\nb"\r\n2,10.0.0.1,10.0.0.2,deny,"stray\n3,10.0.0.1,10.0.0.2,deny,x\n',
      [
        /^columns 2: .*\n1,10.0.0.1,10.0.0.2,deny,"a\r\nb"$/,
        /^columns 4: .*\n2,10.0.0.1,10.0.0.2,deny,"stray$/,
        /^columns 5: .*\n3,10.0.0.1,10.0.0.2,deny,x$/,
      ],
    ],
  ])("%s", async (_what, text, want) => {
    const got = await read(text);
    expect(got).toHaveLength(want.length);
    for (const [i, w] of want.entries()) expect(got[i]).toEqual(typeof w === "string" ? w : expect.stringMatching(w));
  });

  test("events in UTF-16 of either order, as a viewer saves them", async () => {
    for (const swap of [false, true]) {
      const bytes = Buffer.from(`\ufeff${EVENT(1, "æøå")}`, "utf16le");
      expect(await read(swap ? bytes.swap16() : bytes)).toEqual([`windows 1: ${EVENT(1, "æøå")}`]);
    }
  });

  test("any of them packed, in one piece or byte by byte", async () => {
    for (const size of [1, 65_536])
      expect(await read(gzipSync("a\nb\n"), size)).toEqual(["syslog 1: a", "syslog 2: b"]);
  });
  test("a packed file that is cut off is an error, after what could be read", async () => {
    const packed = gzipSync(Array.from({ length: 20_000 }, (_, i) => `line ${i}`).join("\n"));
    await expect(read(packed.subarray(0, packed.length - 100))).rejects.toThrow("unexpected end of file");
  });
  test("a file that is one datagram; one that cannot be", async () => {
    expect(await read("\u0000abc", 2, "flow")).toEqual(["flow 1: \u0000abc"]);
    expect(await read("x".repeat(70_000), 65_536, "snmp")).toEqual([expect.stringMatching(/^TOO_LONG 1/)]);
  });
});

describe("what is too long costs itself alone", () => {
  const MIB = 1024 * 1024;
  test("a line: cut, and said so", async () => {
    const got = await read(`a\n${"x".repeat(MIB + 5)}\nb\n`);
    expect(got.map((l) => l.slice(0, 60))).toEqual([
      "syslog 1: a",
      `syslog 2: ${"x".repeat(50)}`,
      "TOO_LONG 2: line: 5 bytes beyond 1 MiB were cut",
      "syslog 3: b",
    ]);
  });
  test("an event: passed over to its end, whatever it holds", async () => {
    const got = await read(`${EVENT(1)}<Event>${"<x>x".repeat(600_000)}</Event>${EVENT(3)}`);
    expect(got.map((l) => l.slice(0, 12))).toEqual(["windows 1: <", "TOO_LONG 2: ", "windows 3: <"]);
  });
  test("an event that never ends: one complaint, and no more time than the file is long", async () => {
    const got = await read(`<Event>${"<x>".repeat(3_000_000)}`);
    expect(got).toEqual([expect.stringMatching(/^TOO_LONG 1/)]);
  });
});

test("however the bytes of a file come, its messages are the same", async () => {
  const file = fc.oneof(
    fc.array(fc.string({ maxLength: 20 }), { maxLength: 8 }).map((lines) => lines.join("\n")),
    fc
      .array(fc.nat(99), { minLength: 1, maxLength: 6 })
      .map((n) => `<Events>${n.map((i) => EVENT(i, "<a>æ</a>")).join("\n")}</Events>`),
    fc
      .array(fc.dictionary(fc.string({ maxLength: 5 }), fc.string({ maxLength: 9 })), { maxLength: 6 })
      .map((o) => o.map((r) => JSON.stringify(r)).join("\n")),
    fc
      .array(fc.dictionary(fc.string({ maxLength: 5 }), fc.nat()), { maxLength: 6 })
      .map((o) => JSON.stringify(o, null, 1)),
  );
  await fc.assert(
    fc.asyncProperty(file, fc.integer({ min: 1, max: 30 }), async (text, size) =>
      expect(await read(text, size)).toEqual(await read(text)),
    ),
    { seed: 21, numRuns: 300 },
  );
});
