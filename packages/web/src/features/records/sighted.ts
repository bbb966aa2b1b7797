import { formatNetwork } from "@halvik/core/base/net";
import { LONGEST_SIGHTED, SIGHTED, type Sighted } from "@halvik/core/model/record";
import { parseFilter } from "@halvik/core/query/filter";

/** The one value a filter asks for, where first and last times of its sort are kept; null: it asks for something else. */
export function sightedIn(filter: string): { readonly of: Sighted; readonly value: string } | null {
  const parsed = parseFilter(filter, { zone: "UTC" });
  if (!parsed.ok || parsed.filter.type !== "compare" || parsed.filter.negated) return null;
  const { field, test } = parsed.filter;
  if (test.op === "networks" && test.networks.length === 1 && field === "address") {
    const [network] = test.networks;
    const isWhole = network!.bits === (network!.family === 4 ? 32 : 128);
    return isWhole ? { of: "address", value: formatNetwork(network!) } : null;
  }
  const of = SIGHTED.find((name) => name === field);
  if (of === undefined || test.op !== "oneOf" || test.exactly || test.values.length !== 1) return null;
  const [value = ""] = test.values;
  return value === "" || value.length > LONGEST_SIGHTED ? null : { of, value };
}
