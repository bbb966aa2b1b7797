import type { TrafficPlaces } from "@halvik/contract/traffic";
import { PRIVATE_BLOCKS } from "@halvik/core/base/net";
import { OWN_NETWORKS } from "@halvik/core/model/senders";
import { bothOf, quoteIfNeeded } from "@halvik/core/query/filter";
import type { TrafficAsked } from "../../data/api";

/** What the sentence says, as the address keeps it. */
export interface Sentence extends Omit<TrafficAsked, "filter" | "zone"> {
  readonly by: string;
  readonly scale: "linear" | "log";
  /** Which of it: all, by where it goes to, or by the version of IP. */
  readonly among: Among;
  /** What narrows it, in the words of the filter language; empty: nothing. */
  readonly words: string;
}

/** What of all traffic is meant. */
export const AMONG = [
  { value: "all", label: "all of it" },
  { value: "local", label: "what stays within our networks" },
  { value: "outward", label: "what leaves our networks" },
  { value: "inward", label: "what comes into our networks" },
  { value: "ipv4", label: "IPv4" },
  { value: "ipv6", label: "IPv6" },
] as const;
export type Among = (typeof AMONG)[number]["value"];

/** @param hasOwnList whether somebody said which networks are ours; else those for private use are (RFC 1918, RFC 4193) */
function amongFilter(among: Among, hasOwnList: boolean): string | null {
  const ours = (end: string) => (hasOwnList ? `${end} in list "${OWN_NETWORKS}"` : `${end} within ${PRIVATE_BLOCKS}`);
  switch (among) {
    case "local":
      return `${ours("src")} and ${ours("dst")}`;
    case "outward":
      return `${ours("src")} and not (${ours("dst")})`;
    case "inward":
      return `not (${ours("src")}) and ${ours("dst")}`;
    case "ipv4":
      return "src within 0.0.0.0/0";
    case "ipv6":
      return "src within ::/0";
    case "all":
      return null;
  }
}

/** The filter that narrows a sentence's traffic; empty: none does, and sums answer. */
export const narrowedBy = ({ among, words }: Sentence, hasOwnList: boolean): string =>
  bothOf(amongFilter(among, hasOwnList) ?? "", words);

export const BY = [
  { value: "application", label: "application" },
  { value: "protocol", label: "protocol" },
  { value: "service", label: "service" },
  { value: "source", label: "who sent" },
  { value: "destination", label: "who received" },
  { value: "pair", label: "pair" },
  { value: "dscp", label: "marking" },
  { value: "packet size", label: "packet size" },
  { value: "ip version", label: "version of IP" },
  { value: "site pair", label: "sites" },
  { value: "total", label: "nothing" },
] as const;
export const MEASURES = [
  { value: "bytes", label: "bits a second" },
  { value: "packets", label: "packets a second" },
  { value: "flows", label: "flows a second" },
] as const;

const oneOf = <V extends string>(options: readonly { readonly value: V }[], text: string | null, fallback: V): V =>
  options.find((o) => o.value === text)?.value ?? fallback;
const numberOf = (text: string | null): number | undefined =>
  text !== null && /^-?\d{1,10}$/.test(text) ? Number(text) : undefined;

export function readSentence(params: URLSearchParams): Sentence {
  const exporter = numberOf(params.get("exporter"));
  return {
    site: exporter === undefined ? (params.get("site") ?? undefined) : undefined,
    exporter,
    interface: exporter === undefined ? undefined : numberOf(params.get("interface")),
    count: params.get("count") === "exported" ? "exported" : "once",
    measure: oneOf(MEASURES, params.get("measure"), "bytes"),
    by: oneOf(BY, params.get("by"), "application"),
    scale: params.get("scale") === "log" ? "log" : "linear",
    among: oneOf(AMONG, params.get("among"), "all"),
    words: params.get("filter")?.trim() ?? "",
  };
}

/** Where one can look: everything, sites, exporters, their interfaces; each as the address says it. */
export function placeOptions(places: TrafficPlaces | undefined): { value: string; label: string; about?: string }[] {
  const { sites = [], exporters = [] } = places ?? {};
  return [
    { value: "", label: "the whole network" },
    ...sites.map((site) => ({ value: `site ${site}`, label: `the site ${site}` })),
    ...exporters.map((e) => ({ value: `exporter ${e.id}`, label: e.name, about: e.site ?? "" })),
  ];
}
export const placeOf = ({ site, exporter }: Sentence): string =>
  exporter !== undefined ? `exporter ${exporter}` : site !== undefined ? `site ${site}` : "";

/** A filter for the flows a sentence speaks of. */
export function scopeFilter(
  { site, exporter, interface: index }: Sentence,
  narrowed: string,
  places: TrafficPlaces | undefined,
): string {
  const name = places?.exporters.find((e) => e.id === exporter)?.name;
  const of =
    name !== undefined
      ? `sender is ${quoteIfNeeded(name)}`
      : site !== undefined
        ? `sender in site ${quoteIfNeeded(site)}`
        : null;
  const through = index === undefined || index < 0 ? null : `ingress is ${index} or egress is ${index}`;
  return ["kind is flow", of, through, narrowed].filter((part) => part !== null).reduce(bothOf);
}
