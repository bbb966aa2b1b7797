import { formatNetwork, type Network, parseNetwork } from "../../base/net/index.js";
import { fold } from "../../base/text/index.js";
import { DOMAIN } from "../entity/index.js";

/** What a list is of: addresses and blocks; domains, each with all below it; names, hashes and whatever else is compared whole. */
export const LIST_KINDS = ["address", "domain", "text"] as const;
export type ListKind = (typeof LIST_KINDS)[number];

export const VALUE_MOST = 255;
export const ENTRIES_MOST = 20_000;

/** A list that filters name, with what is in it now. */
export interface NamedList {
  readonly name: string;
  readonly kind: ListKind;
  readonly values: readonly string[];
}

/** Lists by name, in any case. Immutable: a list that has changed is one of other `NamedLists`. */
export class NamedLists {
  private readonly byName: ReadonlyMap<string, NamedList>;
  private readonly networks = new Map<string, readonly Network[]>();

  constructor(lists: readonly NamedList[]) {
    this.byName = new Map(lists.map((l) => [fold(l.name), l]));
  }

  names(): string[] {
    return [...this.byName.values()].map((l) => l.name).sort();
  }

  find(name: string): NamedList | undefined {
    return this.byName.get(fold(name));
  }

  /** The blocks of a list of addresses; none of any other. */
  networksOf(name: string): readonly Network[] {
    const known = this.networks.get(fold(name));
    if (known !== undefined) return known;
    const list = this.find(name);
    const networks = list?.kind === "address" ? list.values.flatMap((v) => parseNetwork(v) ?? []) : [];
    this.networks.set(fold(name), networks);
    return networks;
  }
}

export const NO_LISTS = new NamedLists([]);

/** A value as a list of a kind keeps it, so that the same thing stands in it once; or what is wrong with it. */
export function readListValue(kind: ListKind, text: string): { readonly value: string } | { readonly fault: string } {
  const value = text.trim();
  if (value === "") return { fault: "it is empty" };
  if (value.length > VALUE_MOST) return { fault: `it has more than ${VALUE_MOST} characters` };
  if (/\p{Cc}/u.test(value) || !value.isWellFormed()) return { fault: "it has control characters" };
  switch (kind) {
    case "address": {
      const network = parseNetwork(value);
      return network === null ? { fault: `“${value}” is no address or block` } : { value: formatNetwork(network) };
    }
    case "domain": {
      const domain = fold(value)
        .replace(/^\*?\./, "")
        .replace(/\.$/, "");
      return DOMAIN.test(domain) ? { value: domain } : { fault: `“${value}” is no domain` };
    }
    case "text":
      return { value };
  }
}
