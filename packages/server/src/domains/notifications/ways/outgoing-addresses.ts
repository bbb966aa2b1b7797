import { type LookupAddress, lookup } from "node:dns";
import { lookup as lookupHost } from "node:dns/promises";
import { isIP, type LookupFunction } from "node:net";
import { canonicalAddress, networksTest, parseNetwork } from "@halvik/core/base/net";

/** Addresses of one's own machine, link and networks (RFC 6890, 4193, 6598), of which a notification must not become a way in. */
const inside = test([
  "0.0.0.0/8",
  "10.0.0.0/8",
  "100.64.0.0/10",
  "127.0.0.0/8",
  "169.254.0.0/16",
  "172.16.0.0/12",
  "192.0.0.0/24",
  "192.168.0.0/16",
  "198.18.0.0/15",
  "224.0.0.0/3",
  "::/127",
  "64:ff9b::/96",
  "64:ff9b:1::/48",
  "fc00::/7",
  "fe80::/10",
  "ff00::/8",
]);

/** Why nothing is sent to an address; null: it may be. @param allowed blocks that the administrator allows all the same */
export function refusalOf(address: string, allowed: readonly string[]): string | null {
  const canonical = canonicalAddress(address);
  if (canonical === null) return `“${address}” is no address`;
  if (!inside(canonical) || test(allowed)(canonical)) return null;
  return `${canonical} lies inside: the administrator has to allow it (HALVIK_NOTIFY_NETWORKS)`;
}

/** The address of a host that may be sent to; or why not. @throws where its name leads nowhere */
export async function allowedAddress(
  host: string,
  allowed: readonly string[],
): Promise<{ readonly address: string } | { readonly refused: string }> {
  const address = isIP(host) !== 0 ? host : (await lookupHost(host)).address;
  const refused = refusalOf(address, allowed);
  return refused === null ? { address } : { refused };
}

/** Looks a name up as usual, and fails where it leads inside: asked at connecting, so that a name cannot change in between. */
export const guardedLookup =
  (allowed: readonly string[]): LookupFunction =>
  (name, options, done) =>
    lookup(name, { ...options, all: true }, (failed, found: LookupAddress[]) => {
      const refused = failed ?? firstRefusal(found, allowed);
      if (refused !== null) return done(refused, "", 0);
      // Node asks for all of them, or for one
      if (options.all) return done(null, found);
      done(null, found[0]!.address, found[0]!.family);
    });

/** A name that leads where nothing is sent. */
export class RefusedAddress extends Error {}

function firstRefusal(found: readonly LookupAddress[], allowed: readonly string[]): RefusedAddress | null {
  const why = found.map((f) => refusalOf(f.address, allowed)).find((r) => r !== null);
  return why === undefined ? null : new RefusedAddress(why);
}

function test(blocks: readonly string[]): (address: string) => boolean {
  return networksTest(blocks.flatMap((block) => parseNetwork(block) ?? []));
}
