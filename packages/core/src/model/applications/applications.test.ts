import { parseNetwork } from "../../base/net/index.js";
import { Applications, type Endpoints, type OwnApplication } from "./index.js";

/** Registered names as IANA's registry of service names has them: 443/tcp, 3868/sctp. */
const REGISTRY = { "443/tcp": ["https"], "443/udp": ["https"], "3868/sctp": ["diameter"], "33434/udp": ["traceroute"] };
const own = (
  name: string,
  over: Partial<Omit<OwnApplication, "network">> & { network?: string } = {},
): OwnApplication => ({
  ...{ name, protocol: 6, lowPort: null, highPort: null },
  ...over,
  network: over.network === undefined ? null : parseNetwork(over.network)!,
});
const of = (over: Partial<Endpoints> = {}): Endpoints => ({
  ...{ protocol: 6, src: "10.20.1.7", dst: "10.20.2.9", srcPort: 51_000, dstPort: 7_105, ...over },
});
const RANGE = own("tills", { lowPort: 7_100, highPort: 7_110 });
const PORT = own("the quay's till", { lowPort: 7_105 });
const BLOCK = own("the quay", { network: "10.20.2.0/24" });
const HOST = own("the boiler", { protocol: null, network: "10.20.2.9" });
const ALL = own("anything", { protocol: null, lowPort: 7_000, highPort: 8_000 });

test.each<[string, OwnApplication[], string]>([
  ["a port within a range", [RANGE, PORT], "the quay's till"],
  ["a range within a wider one of any protocol", [ALL, RANGE], "tills"],
  ["a block before ports anywhere", [PORT, BLOCK], "the quay"],
  ["an address within a block", [BLOCK, HOST], "the boiler"],
  ["of like ones the earlier", [own("first", { lowPort: 7_105 }), own("second", { lowPort: 7_105 })], "first"],
  ["one protocol before any", [own("any", { protocol: null, lowPort: 7_105 }), PORT], "the quay's till"],
])("of own names the narrowest that fits stands, whichever was given first: %s", (_what, names, name) => {
  expect(new Applications(names, REGISTRY).name(of())).toBe(name);
  if (!name.startsWith("first")) expect(new Applications([...names].reverse(), REGISTRY).name(of())).toBe(name);
});

test.each<[string, Partial<Endpoints>, string | null]>([
  ["the service's port is the lower", { srcPort: 443, dstPort: 51_000 }, "https"],
  ["either end has it", { srcPort: 51_000, dstPort: 443 }, "https"],
  ["another protocol has its own", { protocol: 132, dstPort: 3_868 }, "diameter"],
  ["names of ports that clients are given at random mislead", { protocol: 17, dstPort: 33_434 }, null],
  ["without a port there is none", { srcPort: null, dstPort: null }, null],
  ["nor without a protocol", { protocol: null, dstPort: 443 }, null],
])("else the registry's: %s", (_what, ends, name) => {
  expect(new Applications([], REGISTRY).name(of(ends))).toBe(name);
});

test("how records of a name are told from others goes by the same order", () => {
  const applications = new Applications([RANGE, PORT], REGISTRY);
  const where = applications.where({}, (name) => name === "tills");
  expect(where.own.map(({ application, passes }) => [application.name, passes])).toEqual([
    ["the quay's till", false],
    ["tills", true],
  ]);
  expect(where.ports.get(6)).toEqual({ passing: [], others: [443] });
});
