import { type Network, networkContains } from "../base/net/index.js";

/** What is known of sites. Plain data, so that it can be handed to a thread. */
export interface SitesKnown {
  /** Exporters that are at a site with others, and which: a conversation there may be told of twice. */
  readonly shared: ReadonlyMap<number, string>;
  /** Blocks of addresses and the site each is at. */
  readonly networks: readonly { readonly network: Network; readonly site: string }[];
}

/** Where exporters and addresses are. */
export interface Sites {
  /** The site an exporter shares with others; null: it has none, or is alone there, so that its interfaces say the same. */
  readonly ofExporter: (sender: number) => string | null;
  /** The site an address is at; null: none that is known. */
  readonly ofAddress: (address: string) => string | null;
}

export const NO_SITES: Sites = { ofExporter: () => null, ofAddress: () => null };

const MOST_REMEMBERED = 50_000;

/** Looks sites up; of the blocks an address lies in, the smallest says it. */
export function sitesOf({ shared, networks }: SitesKnown): Sites {
  const smallestFirst = [...networks].sort((a, b) => b.network.bits - a.network.bits);
  const remembered = new Map<string, string | null>();
  return {
    ofExporter: (sender) => shared.get(sender) ?? null,
    ofAddress: (address) => {
      let site = remembered.get(address);
      if (site === undefined) {
        site = smallestFirst.find((n) => networkContains(n.network, address))?.site ?? null;
        if (remembered.size >= MOST_REMEMBERED) remembered.clear();
        remembered.set(address, site);
      }
      return site;
    },
  };
}

const BETWEEN = "\t";

/** Between which sites something went, as it is kept; null: neither end is at one. */
export function sitePair(src: string, dst: string, { ofAddress }: Sites): string | null {
  const [from, to] = [ofAddress(src) ?? "", ofAddress(dst) ?? ""];
  return from === "" && to === "" ? null : `${from}${BETWEEN}${to}`;
}

/** The sites of a kept value; empty: none that is known. */
export function readSitePair(value: string): readonly [from: string, to: string] {
  const at = value.indexOf(BETWEEN);
  return [value.slice(0, at), value.slice(at + 1)];
}
