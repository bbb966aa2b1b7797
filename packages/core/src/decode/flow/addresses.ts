import { addressFromBytes } from "../../base/net/index.js";

const SLOTS = 65_536;
const keys = new Float64Array(SLOTS).fill(-1);
const texts: string[] = new Array(SLOTS).fill("");

/** An IPv4 address from its 32 bits. The same addresses come again and again, so recent texts are kept. */
export function ipv4Text(bits: number): string {
  const slot = ((bits * 0x9e3779b1) >>> 16) & (SLOTS - 1);
  if (keys[slot] === bits) return texts[slot]!;
  const text = `${bits >>> 24}.${(bits >>> 16) & 255}.${(bits >>> 8) & 255}.${bits & 255}`;
  keys[slot] = bits;
  texts[slot] = text;
  return text;
}

export const ipv6Text = (bytes: Uint8Array): string => addressFromBytes(bytes);
