import { networksTest, parseNetwork } from "./address.js";

/** Addresses for private use (RFC 1918, RFC 4193), as the filter language says them. */
export const PRIVATE_BLOCKS = "10.0.0.0/8, 172.16.0.0/12, 192.168.0.0/16, fc00::/7";

const test = networksTest(PRIVATE_BLOCKS.split(", ").map((block) => parseNetwork(block)!));

/** Whether a canonical address is one for private use. */
export const isPrivate = (address: string): boolean => test(address);
