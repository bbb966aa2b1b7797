import fc from "fast-check";
import {
  addressBytes,
  addressFromBytes,
  canonicalAddress,
  findAddresses,
  networkContains,
  parseNetwork,
} from "./index.js";

describe("RFC 5952 section 4 and 5", () => {
  test.each([
    ["2001:0db8::0001", "2001:db8::1"],
    ["2001:db8:0:0:0:0:2:1", "2001:db8::2:1"],
    ["2001:db8:0:1:1:1:1:1", "2001:db8:0:1:1:1:1:1"],
    ["2001:0:0:1:0:0:0:1", "2001:0:0:1::1"],
    ["2001:db8:0:0:1:0:0:1", "2001:db8::1:0:0:1"],
    ["2001:DB8::AAAA", "2001:db8::aaaa"],
    ["::ffff:192.0.2.1", "192.0.2.1"],
    ["::1.2.3.4", "::102:304"],
  ])("%s is %s", (text, want) => expect(canonicalAddress(text)).toBe(want));
});

test.each(["1.2.3", "1.2.3.4.5", "256.1.1.1", "01.2.3.4", "1.2.3.4 ", "", ":", "12:34:56", "fe80::1%eth0", "1..2.3"])(
  "%j is no address",
  (text) => {
    expect(canonicalAddress(text)).toBeNull();
  },
);

test("bytes and text are inverse", () => {
  fc.assert(
    fc.property(
      fc.oneof(fc.uint8Array({ minLength: 4, maxLength: 4 }), fc.uint8Array({ minLength: 16, maxLength: 16 })),
      (b) => {
        const text = addressFromBytes(b);
        expect(canonicalAddress(text)).toBe(text);
        if (b.length === 4 || !text.includes(".")) expect([...addressBytes(text)]).toEqual([...b]);
      },
    ),
    { seed: 4, numRuns: 500 },
  );
});

describe("networks", () => {
  test.each([
    ["10.20.0.0/16", "10.20.255.255", true],
    ["10.20.0.0/16", "10.21.0.0", false],
    ["0.0.0.0/0", "203.0.113.9", true],
    ["192.0.2.7", "192.0.2.7", true],
    ["2001:db8::/32", "2001:db8:ffff::1", true],
    ["2001:db8::/32", "2001:db9::1", false],
    ["0.0.0.0/0", "::1", false],
  ])("%s holds %s: %s", (network, address, want) =>
    expect(networkContains(parseNetwork(network)!, address)).toBe(want),
  );
  test("host bits are cleared", () => expect(parseNetwork("10.20.3.4/16")?.first).toBe("10.20.0.0"));
  test.each(["10.0.0.0/33", "10.0.0.0/", "10.0.0.0/x", "2001:db8::/129", "host"])("%s is none", (text) =>
    expect(parseNetwork(text)).toBeNull(),
  );
});

describe("addresses in text", () => {
  test.each([
    ["from 203.0.113.9 port 22", ["203.0.113.9"]],
    ["203.0.113.9:51490 -> 198.51.100.4:22", ["203.0.113.9", "198.51.100.4"]],
    ["(10.0.0.1), [10.0.0.2].", ["10.0.0.1", "10.0.0.2"]],
    ["version 1.2.3.4.5 of v1.2.3.4", []],
    ["at 12:34:56 on 00:1b:44:11:3a:b7", []],
    ["to 2001:db8::7, then fe80::1.", ["2001:db8::7", "fe80::1"]],
    ["src=2001:DB8:0:0:0:0:0:7", ["2001:db8::7"]],
    ["std::string and a :: b", []],
    ["host-10.0.0.1-x", []],
  ])("%s", (text, want) => expect(findAddresses(text).map((a) => a.address)).toEqual(want));
});

test("an address set anywhere in any text without other dots, colons or words beside it is found", () => {
  fc.assert(
    fc.property(
      fc.constantFrom("203.0.113.9", "2001:db8::7", "10.0.0.1"),
      fc.string({ unit: fc.constantFrom(..."abcxyz 019-=") }),
      fc.string({ unit: fc.constantFrom(..."abcxyz 019-=") }),
      (address, before, after) => {
        expect(findAddresses(`${before} ${address}, ${after}`).map((a) => a.address)).toEqual([address]);
      },
    ),
    { seed: 8, numRuns: 500 },
  );
});
