import { createCipheriv, createDecipheriv, createHash, createHmac, timingSafeEqual } from "node:crypto";
import type { SnmpCrypto } from "@halvik/core/decode/snmp";

/** USM's hashes and ciphers by the runtime's crypto library. */
export const nodeSnmpCrypto: SnmpCrypto = {
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
    // the runtime refuses DES; E-D-E with one key three times is the same (FIPS 46-3)
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
