import type { TrafficPlaces } from "@halvik/contract";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import type { TrafficAsked } from "../../data/api";

/** What the sentence says, as the address keeps it. */
export interface Sentence extends TrafficAsked {
  readonly by: string;
  readonly scale: "linear" | "log";
}

export const BY = [
  { value: "application", label: "application" },
  { value: "service", label: "service" },
  { value: "source", label: "who sent" },
  { value: "destination", label: "who received" },
  { value: "pair", label: "pair" },
  { value: "dscp", label: "marking" },
  { value: "packet size", label: "packet size" },
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
export function scopeFilter({ site, exporter, interface: index }: Sentence, places: TrafficPlaces | undefined): string {
  const name = places?.exporters.find((e) => e.id === exporter)?.name;
  const of =
    name !== undefined
      ? `sender is ${quoteIfNeeded(name)}`
      : site !== undefined
        ? `sender in site ${quoteIfNeeded(site)}`
        : null;
  const through = index === undefined || index < 0 ? null : `(ingress is ${index} or egress is ${index})`;
  return ["kind is flow", of, through].filter((part) => part !== null).join(" and ");
}
