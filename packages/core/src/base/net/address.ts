import ipaddr from "ipaddr.js";

/** An IPv4 address in dotted decimal without leading zeros, or null. Fast path: most addresses in logs are these. */
export function isIpv4(text: string): boolean {
  let octets = 0;
  let value = -1;
  let digits = 0;
  for (let i = 0; i <= text.length; i++) {
    const c = i < text.length ? text.charCodeAt(i) : 46;
    if (c === 46) {
      if (digits === 0 || value > 255) return false;
      octets++;
      value = -1;
      digits = 0;
    } else if (c >= 48 && c <= 57) {
      if (digits > 0 && value === 0) return false;
      value = digits === 0 ? c - 48 : value * 10 + c - 48;
      if (++digits > 3) return false;
    } else return false;
  }
  return octets === 4;
}

/**
 * The one spelling of an address: dotted IPv4, RFC 5952 IPv6; an IPv4-mapped IPv6 address is its IPv4 address.
 * Zone ids are refused. @returns null when the text is no address
 */
export function canonicalAddress(text: string): string | null {
  if (isIpv4(text)) return text;
  if (text.length < 2 || text.length > 45 || !text.includes(":") || text.includes("%")) return null;
  // clock times and MAC addresses have colons too: without "::" an address has seven, or six and an IPv4 part
  if (!text.includes("::") && text.split(":").length !== (text.includes(".") ? 7 : 8)) return null;
  if (!ipaddr.IPv6.isValid(text)) return null;
  const compatible = /^::(\d+\.\d+\.\d+\.\d+)$/.exec(text);
  // the library reads "::1.2.3.4" as the mapped ::ffff:1.2.3.4; RFC 4291 section 2.5.5.1 says it is another address
  if (compatible) {
    const n = ipv4Number(compatible[1]!);
    return canonicalAddress(`::${(n >>> 16).toString(16)}:${(n & 0xffff).toString(16)}`);
  }
  const parsed = ipaddr.IPv6.parse(text);
  return parsed.isIPv4MappedAddress() ? parsed.toIPv4Address().toString() : parsed.toRFC5952String();
}

/** A block of addresses: `first` is the canonical network address, `bits` its prefix length. */
export interface Network {
  readonly first: string;
  readonly bits: number;
  readonly family: 4 | 6;
}

/** Reads `10.20.0.0/16`, `2001:db8::/32` or a single address. Host bits are cleared. @returns null when it is neither */
export function parseNetwork(text: string): Network | null {
  const slash = text.indexOf("/");
  const address = canonicalAddress(slash < 0 ? text : text.slice(0, slash));
  if (address === null) return null;
  const family = address.includes(":") ? 6 : 4;
  const most = family === 4 ? 32 : 128;
  let bits = most;
  if (slash >= 0) {
    const digits = text.slice(slash + 1);
    if (digits.length === 0 || digits.length > 3 || [...digits].some((c) => c < "0" || c > "9")) return null;
    bits = Number(digits);
    if (bits > most) return null;
  }
  const cidr = `${address}/${bits}`;
  const first =
    family === 4
      ? ipaddr.IPv4.networkAddressFromCIDR(cidr).toString()
      : ipaddr.IPv6.networkAddressFromCIDR(cidr).toRFC5952String();
  return { first, bits, family };
}

export const formatNetwork = (n: Network): string =>
  n.bits === (n.family === 4 ? 32 : 128) ? n.first : `${n.first}/${n.bits}`;

/** Whether a canonical address lies in a block. */
export function networkContains(network: Network, address: string): boolean {
  const family = address.includes(":") ? 6 : 4;
  if (family !== network.family) return false;
  if (family === 4) {
    const shift = 32 - network.bits;
    return network.bits === 0 || ipv4Number(address) >>> shift === ipv4Number(network.first) >>> shift;
  }
  return ipaddr.IPv6.parse(address).match(ipaddr.IPv6.parse(network.first), network.bits);
}

/** A test whether a canonical address lies in any of some blocks, which are read once. */
export function networksTest(networks: readonly Network[]): (address: string) => boolean {
  const four = new Map<number, Set<number>>();
  const hosts = new Set<string>();
  const six: Network[] = [];
  for (const n of networks) {
    if (n.family === 6) {
      if (n.bits === 128) hosts.add(formatNetwork(n));
      else six.push(n);
      continue;
    }
    // a shift by 32 is one by 0
    const shift = 32 - n.bits;
    const prefixes = four.get(shift) ?? new Set();
    four.set(shift, prefixes.add(shift === 32 ? 0 : ipv4Number(n.first) >>> shift));
  }
  const steps = [...four];
  return (address) => {
    if (address.includes(":")) return hosts.has(address) || six.some((n) => networkContains(n, address));
    const number = ipv4Number(address);
    for (let i = 0; i < steps.length; i++) {
      const [shift, prefixes] = steps[i]!;
      if (shift === 32 || prefixes.has(number >>> shift)) return true;
    }
    return false;
  };
}

/** A canonical IPv4 address as a number of 32 bits, its first octet highest. */
export function ipv4Number(address: string): number {
  let value = 0;
  let octet = 0;
  for (let i = 0; i < address.length; i++) {
    const c = address.charCodeAt(i);
    if (c === 46) {
      value = (value << 8) | octet;
      octet = 0;
    } else octet = octet * 10 + c - 48;
  }
  return ((value << 8) | octet) >>> 0;
}

/** The octets of a canonical address: 4 or 16. */
export function addressBytes(address: string): Uint8Array {
  if (address.includes(":")) return Uint8Array.from(ipaddr.IPv6.parse(address).toByteArray());
  const n = ipv4Number(address);
  return Uint8Array.of(n >>> 24, (n >>> 16) & 255, (n >>> 8) & 255, n & 255);
}

/** 4 or 16 octets to the canonical address. */
export function addressFromBytes(bytes: Uint8Array): string {
  if (bytes.length === 4) return `${bytes[0]}.${bytes[1]}.${bytes[2]}.${bytes[3]}`;
  const parsed = ipaddr.fromByteArray([...bytes]) as ipaddr.IPv6;
  return parsed.isIPv4MappedAddress() ? parsed.toIPv4Address().toString() : parsed.toRFC5952String();
}
