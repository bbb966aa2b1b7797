import { canonicalAddress } from "../../base/net/index.js";
import { fold } from "../../base/text/index.js";

/** A domain as people give it: `orvane.example`, or the short name of one, `ORVANE`. */
export const DOMAIN = /^(?=.{1,253}$)[\p{L}\p{N}_-]{1,63}(\.[\p{L}\p{N}_-]{1,63})*$/u;
/** More than these are refused: each is one more spelling that is looked for. */
export const MOST_DOMAINS = 50;

/** Fields whose values may be one thing in several spellings. */
export const isSpelt = (field: string): field is "user" | "host" => field === "user" || field === "host";

const MOST_KNOWN = 20_000;
const addressOf = (value: string): string => canonicalAddress(value) ?? fold(value);
const ADDRESSES = ["src", "dst", "address"];

/**
 * The domains that are ours: in them `dc-1.orvane.example` is `dc-1`, and `ORVANE\k.lind` or `k.lind@orvane.example` is `k.lind`. In any
 * other domain a name is another thing (`docs/semantics.md` 16). Immutable.
 */
export class OwnNames {
  /** The longest first, so that `dc-1.site.orvane.example` loses all of it where both are ours. */
  private readonly suffixes: readonly string[];
  private readonly domains: ReadonlySet<string>;
  /** The same few names are asked for again and again: in keys of every rule, in whatever is joined. */
  private readonly known = {
    user: new Map<string, string>(),
    host: new Map<string, string>(),
    address: new Map<string, string>(),
  };

  constructor(domains: readonly string[] = []) {
    const all = [...new Set(domains.map(fold))];
    this.domains = new Set(all);
    this.suffixes = all.filter((d) => d.includes(".")).sort((a, b) => b.length - a.length);
  }

  /** The one spelling of a value of a field: what is compared where two are asked whether they are the same thing. */
  canonical(field: string, value: string): string {
    const kind = isSpelt(field) ? field : ADDRESSES.includes(field) ? "address" : null;
    if (kind === null) return fold(value);
    const known = this.known[kind].get(value);
    if (known !== undefined) return known;
    const own = kind === "user" ? this.user(fold(value)) : kind === "host" ? this.host(fold(value)) : addressOf(value);
    if (this.known[kind].size >= MOST_KNOWN) this.known[kind].clear();
    this.known[kind].set(value, own);
    return own;
  }

  /** A value without what is ours around it, in the case it was written in. */
  short(field: string, value: string): string {
    if (!isSpelt(field)) return value;
    const own = this.canonical(field, value);
    const at = fold(value).indexOf(own);
    return at < 0 ? own : value.slice(at, at + own.length);
  }

  /** Every spelling of the same thing, in lower case, the canonical one first; only that one where the field has no others. */
  spellings(field: string, value: string): string[] {
    const own = this.canonical(field, value);
    if (own === "") return [fold(value)];
    if (field === "user" && !own.includes("\\") && !own.includes("@"))
      return [own, ...[...this.domains].flatMap((d) => [`${d}\\${own}`, `${own}@${d}`])];
    if (field === "host" && canonicalAddress(own) === null)
      return [own, `${own}.`, ...this.suffixes.flatMap((s) => [`${own}.${s}`, `${own}.${s}.`])];
    return [own];
  }

  private user(name: string): string {
    const slash = name.indexOf("\\");
    if (slash > 0 && slash < name.length - 1 && this.isOurs(name.slice(0, slash))) return name.slice(slash + 1);
    const at = name.lastIndexOf("@");
    return at > 0 && this.isOurs(name.slice(at + 1)) ? name.slice(0, at) : name;
  }

  private host(name: string): string {
    const bare = name.length > 1 && name.endsWith(".") ? name.slice(0, -1) : name;
    const address = canonicalAddress(bare);
    if (address !== null) return address;
    const suffix = this.suffixes.find((s) => bare.length > s.length + 1 && bare.endsWith(`.${s}`));
    return suffix === undefined ? bare : bare.slice(0, -suffix.length - 1);
  }

  private isOurs(domain: string): boolean {
    return this.domains.has(domain.endsWith(".") ? domain.slice(0, -1) : domain);
  }
}

/** Where nobody has said which domains are ours. */
export const NO_OWN_NAMES = new OwnNames();
