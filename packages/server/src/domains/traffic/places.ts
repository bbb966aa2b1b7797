import type { TrafficPlaces } from "@halvik/contract/traffic";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { NO_INTERFACE, WAYS } from "@halvik/core/traffic";
import type * as z from "zod";
import type { TrafficSource } from "../../store/traffic/read-sums.js";
import { interfaceNames } from "../names/presenter.js";
import type { Names } from "../names/repository.js";
import type { InterfaceKnown } from "./interfaces-repository.js";

type Capacity = { readonly bits: number | null; readonly from: "hand" | "counters" | null };

/** How much an interface carries: as a person says, else as its counters do. */
export function capacityOf(known: InterfaceKnown | undefined): Capacity {
  if (known?.statedSpeed != null) return { bits: known.statedSpeed, from: "hand" };
  if (known?.countedSpeed != null) return { bits: known.countedSpeed, from: "counters" };
  return { bits: null, from: null };
}

const IN = WAYS.indexOf("in");
const OUT = WAYS.indexOf("out");
const OF_INTERFACES = 4;

/** Where traffic is told of: exporters with their interfaces, and the sites they are at. */
export function placesOf(
  sources: readonly TrafficSource[],
  interfaces: readonly InterfaceKnown[],
  directory: SenderDirectory,
  names: Names,
): z.infer<typeof TrafficPlaces> {
  const known = new Map(interfaces.map((i) => [`${i.sender} ${i.interface}`, i]));
  const exporters = [...new Set(sources.map((s) => s.sender))].map((id) => {
    const sender = directory.get(id);
    const called = interfaceNames(names, sender?.addresses ?? []);
    const own = sources.filter((s) => s.sender === id && s.way < OF_INTERFACES);
    const indexes = [...new Set(own.map((s) => s.interface))].sort((a, b) => a - b);
    return {
      id,
      name: directory.name(id),
      site: sender?.site ?? null,
      interfaces: indexes.map((index) => {
        const fact = known.get(`${id} ${index}`);
        const capacity = capacityOf(fact);
        return {
          index,
          name: fact?.name || called(index) || (index === NO_INTERFACE ? "not named" : `interface ${index}`),
          capacity: capacity.bits,
          capacityFrom: capacity.from,
          metersIn: own.some((s) => s.interface === index && s.way === IN),
          metersOut: own.some((s) => s.interface === index && s.way === OUT),
        };
      }),
    };
  });
  return {
    sites: [...new Set(exporters.flatMap((e) => (e.site === null ? [] : [e.site])))].sort(),
    exporters: exporters.sort((a, b) => a.name.localeCompare(b.name)),
  };
}
