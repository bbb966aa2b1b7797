import type { AuthProtocol, PrivProtocol, SnmpCrypto } from "./crypto.js";

const MEGABYTE = 1_048_576;

/** A password to the key Ku: a hash over a megabyte of it repeated (RFC 3414 section A.2). */
export function passwordToKey(crypto: SnmpCrypto, hash: AuthProtocol, password: Uint8Array): Uint8Array {
  const long = new Uint8Array(MEGABYTE);
  for (let at = 0; at < MEGABYTE; at += password.length)
    long.set(at + password.length <= MEGABYTE ? password : password.subarray(0, MEGABYTE - at), at);
  return crypto.hash(hash, long);
}

/** Ku to the key of one engine, Kul (RFC 3414 section 2.6). */
export const localizeKey = (
  crypto: SnmpCrypto,
  hash: AuthProtocol,
  key: Uint8Array,
  engineId: Uint8Array,
): Uint8Array => crypto.hash(hash, key, engineId, key);

const PRIV_KEY_OCTETS: Readonly<Record<PrivProtocol, number>> = {
  des: 16,
  aes128: 16,
  aes192: 24,
  aes256: 32,
  aes192c: 24,
  aes256c: 32,
};

/** A localised key as long as the cipher wants it (see `PRIV_PROTOCOLS`). */
export function privacyKey(
  crypto: SnmpCrypto,
  hash: AuthProtocol,
  cipher: PrivProtocol,
  localized: Uint8Array,
  engineId: Uint8Array,
): Uint8Array {
  const wanted = PRIV_KEY_OCTETS[cipher];
  let key = localized;
  let last = localized;
  while (key.length < wanted) {
    last = cipher.endsWith("c")
      ? localizeKey(crypto, hash, passwordToKey(crypto, hash, last), engineId)
      : crypto.hash(hash, key);
    const longer = new Uint8Array(key.length + last.length);
    longer.set(key);
    longer.set(last, key.length);
    key = longer;
  }
  return key.subarray(0, wanted);
}
