import { createCipheriv, createDecipheriv, createHash, createHmac, timingSafeEqual } from "node:crypto";
import type { SnmpCrypto } from "../../decode/snmp/index.js";

/** The runtime's ciphers, for tests of core; the server has its own beside its endpoints. */
export const testCrypto: SnmpCrypto = {
  hash: (algorithm, ...parts) => {
    const hash = createHash(algorithm);
    for (const part of parts) hash.update(part);
    return hash.digest();
  },
  hmac: (algorithm, key, data) => createHmac(algorithm, key).update(data).digest(),
  aesCfb: (direction, key, iv, data) => {
    const name = `aes-${key.length * 8}-cfb`;
    const cipher = direction === "encrypt" ? createCipheriv(name, key, iv) : createDecipheriv(name, key, iv);
    return Buffer.concat([cipher.update(data), cipher.final()]);
  },
  desCbc: (direction, key, iv, data) => {
    const triple = Buffer.concat([key, key, key]);
    const cipher =
      direction === "encrypt"
        ? createCipheriv("des-ede3-cbc", triple, iv)
        : createDecipheriv("des-ede3-cbc", triple, iv);
    cipher.setAutoPadding(false);
    return Buffer.concat([cipher.update(data), cipher.final()]);
  },
  equal: (a, b) => a.length === b.length && timingSafeEqual(a, b),
};
