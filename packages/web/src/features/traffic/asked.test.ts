import { TrafficPlaces } from "@halvik/contract/traffic";
import { narrowedBy, placeOf, placeOptions, readSentence, scopeFilter } from "./asked";

const of = (query: string) => readSentence(new URLSearchParams(query));
const PLACES = TrafficPlaces.parse({
  sites: ["Orvane", "North Quay"],
  exporters: [
    { id: 4, name: "rt-orvane", site: "Orvane", interfaces: [] },
    { id: 5, name: "the old one", site: null, interfaces: [] },
  ],
});

test("an address says what is asked; what it does not say, or says wrongly, is the usual", () => {
  const usual = of("");
  expect(usual).toEqual({
    ...{ site: undefined, exporter: undefined, interface: undefined, count: "once", measure: "bytes" },
    ...{ by: "application", scale: "linear", among: "all", words: "" },
  });
  expect(of("by=colour&measure=weight&scale=cubic&among=some&count=twice&exporter=x&interface=1")).toEqual(usual);
});

test.each([
  ["exporter=4&interface=3&site=Orvane", { exporter: 4, interface: 3, site: undefined }],
  ["exporter=4&interface=-1", { interface: -1 }],
  // an interface is one of an exporter
  ["interface=3", { interface: undefined }],
  ["site=Orvane", { site: "Orvane", exporter: undefined }],
  ["count=exported&scale=log&by=dscp&measure=flows", { count: "exported", scale: "log", by: "dscp", measure: "flows" }],
  ["filter=%20dst%20port%20is%20443%20", { words: "dst port is 443" }],
  ["exporter=99999999999", { exporter: undefined }],
])("%s", (query, parts) => {
  expect(of(query)).toMatchObject(parts);
});

test.each<[string, boolean, string]>([
  ["among=all", true, ""],
  ["among=ipv6", true, "src within ::/0"],
  ["among=local", true, 'src in list "own networks" and dst in list "own networks"'],
  [
    "among=outward&filter=dst port is 443",
    true,
    'src in list "own networks" and not (dst in list "own networks") and dst port is 443',
  ],
  // what says “or” is kept together
  [
    "among=ipv4&filter=dst port is 80 or dst port is 443",
    true,
    "src within 0.0.0.0/0 and (dst port is 80 or dst port is 443)",
  ],
])("which of it, and words that narrow it, are one filter: %s", (query, hasOwnList, filter) => {
  expect(narrowedBy(of(query), hasOwnList)).toBe(filter);
});

test("where nobody said which networks are ours, those for private use are (RFC 1918, RFC 4193)", () => {
  const filter = narrowedBy(of("among=inward"), false);
  expect(filter).toMatch(/^not \(src within /);
  for (const block of ["10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "fc00::/7"]) expect(filter).toContain(block);
});

test.each([
  ["", "kind is flow"],
  ["site=North Quay", 'kind is flow and sender in site "North Quay"'],
  ["exporter=4", "kind is flow and sender is rt-orvane"],
  ["exporter=5&interface=3", 'kind is flow and sender is "the old one" and (ingress is 3 or egress is 3)'],
  // all interfaces of one are no interface
  ["exporter=4&interface=-1", "kind is flow and sender is rt-orvane"],
])("the flows a sentence speaks of: %s", (query, filter) => {
  expect(scopeFilter(of(query), "", PLACES)).toBe(filter);
  const own = filter.includes(" or ") ? `(${filter})` : filter;
  expect(scopeFilter(of(query), "dst port is 80 or dst port is 81", PLACES)).toBe(
    `${own} and (dst port is 80 or dst port is 81)`,
  );
});

test("where one can look is chosen by what the address says", () => {
  const options = placeOptions(PLACES);
  expect(options.map((o) => o.label)).toEqual([
    ...["the whole network", "the site Orvane", "the site North Quay", "rt-orvane", "the old one"],
  ]);
  for (const query of ["", "site=Orvane", "exporter=5"])
    expect(options.map((o) => o.value)).toContain(placeOf(of(query)));
  expect(placeOptions(undefined)).toHaveLength(1);
});
