export {
  addressBytes,
  addressFromBytes,
  canonicalAddress,
  formatNetwork,
  ipv4Number,
  isIpv4,
  type Network,
  networkContains,
  networksTest,
  parseNetwork,
} from "./address.js";
export { addressKey } from "./address-key.js";
export { type FoundAddress, findAddresses } from "./find-addresses.js";
export { isPrivate, PRIVATE_BLOCKS } from "./private.js";
