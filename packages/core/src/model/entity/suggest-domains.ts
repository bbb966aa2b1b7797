import { canonicalAddress } from "../../base/net/index.js";
import { fold } from "../../base/text/index.js";
import { DOMAIN, type OwnNames } from "./own-names.js";

/** A domain that many names are in, and that nobody has said to be ours. */
export interface SuggestedDomain {
  readonly domain: string;
  /** Different names in it. */
  readonly names: number;
  /** How many of them are also written without it: what makes it likely. */
  readonly alsoBare: number;
  /** One of them as it was written. */
  readonly example: string;
}

/** So many names in one domain suggest it, or one that is also written without it. */
const ENOUGH_NAMES = 3;

/** Domains to be confirmed as ours, from the names that records hold: those whose names are also written without them first. */
export function suggestDomains(hosts: readonly string[], users: readonly string[], ours: OwnNames): SuggestedDomain[] {
  const found = new Map<string, { names: Set<string>; bare: Set<string>; example: string }>();
  const gather = (
    written: readonly string[],
    split: (name: string) => readonly [name: string, domain: string] | null,
  ) => {
    const bare = new Set(written.map(fold));
    for (const one of written) {
      const parts = split(fold(one));
      if (parts === null || !DOMAIN.test(parts[1])) continue;
      const [name, domain] = parts;
      const there = found.get(domain) ?? { names: new Set(), bare: new Set(), example: one };
      found.set(domain, there);
      there.names.add(name);
      if (bare.has(name)) there.bare.add(name);
    }
  };
  gather(hosts, (host) => {
    const dot = host.indexOf(".");
    return dot <= 0 || canonicalAddress(host) !== null || ours.canonical("host", host) !== host
      ? null
      : [host.slice(0, dot), host.slice(dot + 1).replace(/\.$/, "")];
  });
  gather(users, (user) => {
    if (ours.canonical("user", user) !== user) return null;
    const slash = user.indexOf("\\");
    if (slash > 0) return [user.slice(slash + 1), user.slice(0, slash)];
    const at = user.lastIndexOf("@");
    return at > 0 ? [user.slice(0, at), user.slice(at + 1)] : null;
  });
  return [...found]
    .map(([domain, { names, bare, example }]) => ({ domain, names: names.size, alsoBare: bare.size, example }))
    .filter((s) => s.alsoBare > 0 || s.names >= ENOUGH_NAMES)
    .sort((a, b) => b.alsoBare - a.alsoBare || b.names - a.names || (a.domain < b.domain ? -1 : 1));
}
