import fc from "fast-check";
import { ByteReader, DecodeError } from "../../base/bytes/index.js";
import { fromHex } from "../../testing/bytes.js";
import { effort } from "../../testing/node/effort.js";
import { testCrypto } from "../../testing/node/snmp-crypto.js";
import { withoutStacks } from "../../testing/without-stacks.js";
import { readOid, readTlv } from "./ber.js";
import {
  hexOf,
  integer,
  localizeKey,
  oid,
  PDU,
  passwordToKey,
  privacyKey,
  readMessage,
  readNotification,
  readValue,
  SnmpReceiver,
  type SnmpValue,
  UsmUsers,
  usmUser,
  type VarBind,
  writeCommunityMessage,
  writePdu,
  writeTrapV1,
  writeV3,
  writeValue,
} from "./index.js";

const hex = (bytes: Uint8Array) => hexOf(bytes);
const reader = (text: string) => new ByteReader(fromHex(text));
const codeOf = (work: () => unknown): string => {
  try {
    work();
    return "none";
  } catch (e) {
    if (!(e instanceof DecodeError)) throw e;
    return e.code;
  }
};

describe("BER (X.690)", () => {
  test.each([
    ["8.19.5 example: {2 100 3}", "0603813403", "2.100.3"],
    ["8.19.4: first arc 2, second 999 (X.690 8.19.5 {2 999})", "06028837", "2.999"],
    ["SMI: iso.org.dod.internet", "06032b0601", "1.3.6.1"],
    ["an arc of 2^32 − 1", "06062b8fffffff7f", "1.3.4294967295"],
  ])("object identifier, %s", (_source, bytes, want) => {
    expect(readOid(readTlv(reader(bytes), "oid").body, "oid")).toBe(want);
  });
  test.each([
    ["one octet", "020105", 5n],
    ["negative (8.3)", "0201ff", -1n],
    ["long form with leading zeros (8.1.3.5)", "0284000000010a", 10n],
  ])("integer, %s", (_what, bytes, want) => expect(readValue(reader(bytes))).toEqual({ type: "integer", value: want }));
  test.each([
    ["Counter64 of all ones, with the leading zero", "460900ffffffffffffffff", 18446744073709551615n],
    ["the same without it", "4608ffffffffffffffff", 18446744073709551615n],
    ["Gauge32 without a leading zero", "4204ffffffff", 4294967295n],
  ])("%s", (_what, bytes, want) => expect(readValue(reader(bytes))).toMatchObject({ value: want }));
  test("opaque float 9f 78 04 (common practice, no source)", () => {
    expect(readValue(reader("44079f780442f60000"))).toMatchObject({ type: "float", value: 123 });
  });
  test.each([
    ["the indefinite form", "30800000", "BAD_LENGTH"],
    ["a length beyond the input", "04057061", "TRUNCATED"],
    ["an arc beyond 2^32 − 1", "06072b90808080808000", "BAD_VALUE"],
    ["an IP address of 5 octets", "40050102030405", "BAD_LENGTH"],
    ["a Counter32 of 33 bits", "41050100000000", "BAD_VALUE"],
    ["an empty integer", "0200", "BAD_LENGTH"],
  ])("refused: %s", (_what, bytes, code) => expect(codeOf(() => readValue(reader(bytes)))).toBe(code));

  test("values go and come back", () => {
    const value: fc.Arbitrary<SnmpValue> = fc.oneof(
      fc.bigInt(-(2n ** 31n), 2n ** 31n - 1n).map((v) => ({ type: "integer" as const, value: v })),
      fc.uint8Array({ maxLength: 300 }).map((v) => ({ type: "octet string" as const, value: v })),
      fc.bigInt(0n, 2n ** 64n - 1n).map((v) => ({ type: "counter64" as const, value: v })),
      fc.bigInt(0n, 2n ** 32n - 1n).map((v) => ({ type: "timeticks" as const, value: v })),
      fc
        .array(fc.integer({ min: 0, max: 4_294_967_295 }), { maxLength: 20 })
        .map((arcs) => ({ type: "object identifier" as const, value: ["1.3", ...arcs].join(".") })),
      fc.ipV4().map((v) => ({ type: "ip address" as const, value: v })),
      fc.constant({ type: "null" as const }),
    );
    fc.assert(
      fc.property(value, (v) => expect(readValue(new ByteReader(writeValue(v)))).toEqual(v)),
      { seed: 3, numRuns: 500 },
    );
  });
});

describe("keys (RFC 3414 section A.3: password “maplesyrup”, engine 00…02)", () => {
  const engine = fromHex("000000000000000000000002");
  const password = new TextEncoder().encode("maplesyrup");
  test.each([
    ["A.3.1", "md5", "9faf3283884e92834ebc9847d8edd963", "526f5eed9fcce26f8964c2930787d82b"],
    ["A.3.2", "sha1", "9fb5cc0381497b3793528939ff788d5d79145211", "6695febc9288e36282235fc7151f128497b38f3f"],
  ] as const)("%s %s", (_section, hash, ku, kul) => {
    const key = passwordToKey(testCrypto, hash, password);
    expect([hex(key), hex(localizeKey(testCrypto, hash, key, engine))]).toEqual([ku, kul]);
  });
  test("a longer key begins with the localised one", () => {
    const kul = localizeKey(testCrypto, "sha1", passwordToKey(testCrypto, "sha1", password), engine);
    for (const cipher of ["aes256", "aes256c"] as const) {
      const key = privacyKey(testCrypto, "sha1", cipher, kul, engine);
      expect([key.length, hex(key).startsWith(hex(kul))]).toEqual([32, true]);
    }
  });
});

describe("ciphers", () => {
  test("AES-128 CFB (NIST SP 800-38A F.3.13, first block)", () => {
    const key = fromHex("2b7e151628aed2a6abf7158809cf4f3c");
    const iv = fromHex("000102030405060708090a0b0c0d0e0f");
    expect(hex(testCrypto.aesCfb("encrypt", key, iv, fromHex("6bc1bee22e409f96e93d7e117393172a")))).toBe(
      "3b3fd92eb72dad20333449f8e83cfb4a",
    );
  });
  test("DES by triple DES with one key three times (FIPS 81 appendix B, “Now is t”)", () => {
    const plain = new TextEncoder().encode("Now is t");
    const key = fromHex("0123456789abcdef");
    // CBC of one block with a zero vector is ECB
    expect(hex(testCrypto.desCbc("encrypt", key, new Uint8Array(8), plain))).toBe("3fa40e8a984d4815");
  });
});

const LINK_DOWN = "1.3.6.1.6.3.1.1.5.3";
const bindings = (trapOid: string): VarBind[] => [
  { oid: "1.3.6.1.2.1.1.3.0", value: { type: "timeticks", value: 4_200n } },
  { oid: "1.3.6.1.6.3.1.1.4.1.0", value: { type: "object identifier", value: trapOid } },
  { oid: "1.3.6.1.2.1.2.2.1.1.7", value: { type: "integer", value: 7n } },
];

describe("messages", () => {
  test.each([
    [0, "1.3.6.1.6.3.1.1.5.1"],
    [2, "1.3.6.1.6.3.1.1.5.3"],
    [5, "1.3.6.1.6.3.1.1.5.6"],
    [6, "1.3.6.1.4.1.32473.9.0.77"],
  ])("v1 generic %i (RFC 3584 section 3.1)", (generic, want) => {
    const pdu = writeTrapV1({
      enterprise: "1.3.6.1.4.1.32473.9",
      agentAddress: "10.20.1.13",
      generic,
      specific: 77,
      uptimeTicks: 1,
      varbinds: [],
    });
    expect(readNotification(writeCommunityMessage("v1", "public", pdu), users([]))).toMatchObject({
      version: "v1",
      user: "public",
      pdu: { trapOid: want, agentAddress: "10.20.1.13", inform: false },
    });
  });
  test("v2c", () => {
    const message = writeCommunityMessage("v2c", "c", writePdu(PDU.trap, 9, bindings(LINK_DOWN)));
    expect(readNotification(message, users([])).pdu).toMatchObject({
      trapOid: LINK_DOWN,
      uptimeTicks: 4200,
      requestId: 9,
    });
  });
  test("as many bindings as a datagram holds (RFC 3416 section 3: max-bindings is 2147483647)", () => {
    const many = Array.from({ length: 3_000 }, (_, i) => ({
      oid: `1.3.6.1.${i}`,
      value: { type: "integer" as const, value: 1n },
    }));
    const message = writeCommunityMessage("v2c", "c", writePdu(PDU.trap, 9, [...bindings(LINK_DOWN), ...many]));
    expect(readNotification(message, users([])).pdu.varbinds).toHaveLength(3_003);
  });
  test("a get is no notification", () => {
    const message = writeCommunityMessage("v2c", "c", writePdu(PDU.get, 9, []));
    expect(codeOf(() => readMessage(message))).toBe("NOT_NOTIFICATION");
  });
});

const users = (list: Parameters<typeof usmUser>[1][]) =>
  new UsmUsers(
    list.map((u) => usmUser(testCrypto, u)),
    testCrypto,
  );
const LIND = {
  name: "lind",
  authProtocol: "sha256",
  authPassword: "harbour-light",
  privProtocol: "aes128",
  privPassword: "foghorn-123",
} as const;
const US = 1_000_000;

describe("USM", () => {
  const AGENT = fromHex("80007ed9 03 0a1401");
  const OWN = fromHex("80007ed9 04 68616c76696b");
  const v3 = (over: Partial<Parameters<typeof writeV3>[0]> = {}, by = LIND as Parameters<typeof usmUser>[1]) =>
    writeV3(
      {
        msgId: 5,
        reportable: false,
        engineId: AGENT,
        engineBoots: 3,
        engineTime: 1000,
        contextEngineId: AGENT,
        contextName: "",
        pdu: writePdu(PDU.trap, 1, bindings(LINK_DOWN)),
        salt: fromHex("0000000000000001"),
        level: "priv",
        ...over,
      },
      by.name,
      users([by]),
    );
  const receiver = (list: Parameters<typeof usmUser>[1][] = [LIND]) =>
    new SnmpReceiver(users(list), () => true, { id: OWN, boots: 2, timeAt: (nowUs) => Math.floor(nowUs / US) }, 1n);

  for (const authProtocol of ["md5", "sha1", "sha224", "sha256", "sha384", "sha512"] as const)
    for (const privProtocol of ["des", "aes128", "aes192", "aes256", "aes192c", "aes256c"] as const)
      test(`${authProtocol} and ${privProtocol}: written, opened; a wrong password is told`, () => {
        const user = { ...LIND, authProtocol, privProtocol };
        const message = v3({}, user);
        // as the runtime hands it over: a Buffer, whose slice shares its memory
        expect(receiver([user]).receive(Buffer.from(message), 0)).toMatchObject({
          type: "notification",
          notification: { version: "v3", user: "lind", pdu: { trapOid: LINK_DOWN } },
        });
        for (const wrong of [{ authPassword: "other-password" }, { privPassword: "other-password" }])
          expect(receiver([{ ...user, ...wrong }]).receive(message, 0)).toMatchObject({
            type: "refused",
            problem: { code: "NOT_AUTHENTIC" },
          });
      });

  test("unknown user, lower level than the user's, altered bytes", () => {
    expect(receiver([]).receive(v3(), 0)).toMatchObject({ problem: { code: "UNKNOWN_USER" } });
    expect(receiver().receive(v3({ level: "noAuth" }), 0)).toMatchObject({ problem: { code: "NOT_AUTHENTIC" } });
    const altered = v3();
    altered[altered.length - 1]! ^= 1;
    expect(receiver().receive(altered, 0)).toMatchObject({ problem: { code: "NOT_AUTHENTIC" } });
  });

  test("the time window of a sender's engine (RFC 3414 section 3.2, 7 b)", () => {
    const r = receiver();
    const at = (boots: number, time: number, nowUs: number) =>
      r.receive(v3({ engineBoots: boots, engineTime: time }), nowUs).type;
    expect(at(3, 1000, 0)).toBe("notification");
    // 100 s later the old message is still within 150 s; after 200 s it is not
    expect(at(3, 1000, 100 * US)).toBe("notification");
    expect(at(3, 1000, 200 * US)).toBe("refused");
    expect(at(4, 1, 200 * US)).toBe("notification");
    expect(at(3, 5000, 201 * US)).toBe("refused");
  });

  test("discovery, then an inform in two steps, answered in kind (RFC 3414 section 4)", () => {
    const r = receiver();
    const now = 500 * US;
    const first = r.receive(
      v3(
        { reportable: true, engineId: new Uint8Array(0), engineBoots: 0, engineTime: 0, level: "noAuth" },
        { name: "" },
      ),
      now,
    );
    expect(first).toMatchObject({ type: "refused", discovery: true });
    const report = readMessage((first as { report: Uint8Array }).report);
    expect(report).toMatchObject({ envelope: { engineBoots: 2, engineTime: 500 } });
    const inform = { reportable: true, engineId: OWN, pdu: writePdu(PDU.inform, 42, bindings(LINK_DOWN)) };
    const second = r.receive(v3({ ...inform, engineBoots: 0, engineTime: 0 }), now);
    expect(second).toMatchObject({ type: "refused", discovery: true, problem: { code: "OUT_OF_TIME" } });
    const third = r.receive(v3({ ...inform, engineBoots: 2, engineTime: 499 }), now);
    expect(third).toMatchObject({ type: "notification", key: "lind 42" });
    const reply = (third as { reply: () => Uint8Array }).reply();
    const opened = readMessage(reply);
    expect(opened).toMatchObject({ envelope: { auth: true, priv: true, msgId: 5, user: "lind" } });
  });
});

describe("malformed input: a counted reason, never anything else", () => {
  const whole = writeCommunityMessage("v2c", "public", writePdu(PDU.trap, 9, bindings(LINK_DOWN)));
  test("every prefix", () => {
    for (let n = 0; n < whole.length; n++) expect(codeOf(() => readMessage(whole.subarray(0, n)))).not.toBe("none");
  });
  test("bits flipped and random bytes", () => {
    const tries = fc.sample(fc.oneof(fc.uint8Array({ maxLength: 80 }), fc.nat(whole.length * 8 - 1)), {
      seed: 1,
      numRuns: effort(5_000),
    });
    for (const t of tries) {
      const input = typeof t === "number" ? whole.slice() : t;
      if (typeof t === "number") input[t >> 3]! ^= 1 << (t & 7);
      withoutStacks(() => codeOf(() => readMessage(input)));
    }
  });
});

test("integers are written as short as can be (X.690 section 8.3.2)", () => {
  expect([0, 127, 128, -128, -129, 256].map((n) => hex(integer(n)))).toEqual([
    "020100",
    "02017f",
    "02020080",
    "020180",
    "0202ff7f",
    "02020100",
  ]);
  expect(hex(oid("1.3.6.1.4.1.32473"))).toBe("06082b0601040181fd59");
});
