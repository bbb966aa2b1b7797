import fc from "fast-check";
import { testRecord } from "../../testing/record.js";
import { eachSighted, hashesIn, LONGEST_SIGHTED, SIGHTED, type Sighted } from "./index.js";

type Seen = Partial<Record<Sighted, string[]>>;
function seen(parts: Parameters<typeof testRecord>[0]): Seen {
  const out: Seen = {};
  eachSighted(testRecord(parts), (of, value) => {
    const name = SIGHTED[of]!;
    out[name] = [...(out[name] ?? []), value];
  });
  return out;
}

const MD5 = "d41d8cd98f00b204e9800998ecf8427e";
const SHA1 = "da39a3ee5e6b4b0d3255bfef95601890afd80709";
const SHA256 = "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855";

test.each<[string, Parameters<typeof testRecord>[0], Seen]>([
  ["nothing of what there is not", {}, {}],
  [
    "a host and an application without regard to case",
    { host: "DC-1", app: "SSHD" },
    { host: ["dc-1"], app: ["sshd"] },
  ],
  [
    "users each once, however they are written",
    { users: ["K.Lind", "k.lind", "t.vik"] },
    { user: ["k.lind", "t.vik"] },
  ],
  [
    "an address once, whatever it is of",
    { src: "10.0.0.1", dst: "10.0.0.1", otherAddresses: ["10.0.0.1", "10.0.0.2", "10.0.0.2"] },
    { address: ["10.0.0.1", "10.0.0.2"] },
  ],
  ["an event as it is", { event: "Security 4625" }, { event: ["Security 4625"] }],
  ["a hash among named values, in small letters", { data: [["sum", SHA256.toUpperCase()]] }, { hash: [SHA256] }],
  ["no text that is longer than a name", { host: "h".repeat(LONGEST_SIGHTED + 1), users: [""] }, {}],
])("kept track of: %s", (_what, parts, expected) => expect(seen(parts)).toEqual(expected));

/** MD5, SHA-1 and SHA-256 of nothing (RFC 1321 appendix A.5, FIPS 180-4 examples). */
test.each([
  ["MD5", "x", MD5, [MD5]],
  ["SHA-1", "x", SHA1, [SHA1]],
  ["SHA-256", "x", SHA256, [SHA256]],
  ["several in a value that is called so", "Hashes", `MD5=${MD5.toUpperCase()},SHA256=${SHA256}`, [MD5, SHA256]],
  ["several in one that is not", "note", `MD5=${MD5},SHA256=${SHA256}`, []],
  ["digits of another length", "hash", "d41d8cd98f00b204", []],
  ["letters that are no digits", "hash", "g".repeat(32), []],
])("hashes: %s", (_what, name, value, hashes) => expect(hashesIn(name, value)).toEqual(hashes));

test("of very many hashes in a value the first are taken", () => {
  const many = Array.from({ length: 100 }, (_, i) => i.toString(16).padStart(32, "0"));
  expect(hashesIn("hashes", many.join(","))).toEqual(many.slice(0, 8));
});

test("no value is told twice, and none that is empty or too long", () => {
  const name = fc.oneof(fc.string({ maxLength: 6 }), fc.constantFrom("a", "A", "10.0.0.1", "x".repeat(300)));
  const parts = fc.record({
    host: fc.option(name),
    users: fc.array(name, { maxLength: 6 }),
    src: fc.option(name),
    dst: fc.option(name),
    otherAddresses: fc.array(name, { maxLength: 6 }),
    app: fc.option(name),
    event: fc.option(name),
  });
  fc.assert(
    fc.property(parts, (p) => {
      for (const values of Object.values(seen(p))) {
        expect(new Set(values).size).toBe(values.length);
        for (const value of values) expect(value.length > 0 && value.length <= LONGEST_SIGHTED).toBe(true);
      }
    }),
  );
});
