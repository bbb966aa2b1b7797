/** Hashes of USM: RFC 3414 (MD5, SHA-1), RFC 7860 (the SHA-2 family). */
export const AUTH_PROTOCOLS = ["md5", "sha1", "sha224", "sha256", "sha384", "sha512"] as const;
export type AuthProtocol = (typeof AUTH_PROTOCOLS)[number];

/**
 * Ciphers of USM: RFC 3414 (DES), RFC 3826 (AES-128). AES with longer keys has no RFC; agents lengthen the key in one of two
 * ways, and both are common practice: `aes192`/`aes256` hash the key onto itself, `aes192c`/`aes256c` localise once more.
 */
export const PRIV_PROTOCOLS = ["des", "aes128", "aes192", "aes256", "aes192c", "aes256c"] as const;
export type PrivProtocol = (typeof PRIV_PROTOCOLS)[number];

/** Ciphers and hashes of the runtime; core does none of its own. */
export interface SnmpCrypto {
  hash(algorithm: AuthProtocol, ...parts: readonly Uint8Array[]): Uint8Array;
  hmac(algorithm: AuthProtocol, key: Uint8Array, data: Uint8Array): Uint8Array;
  /** CFB with 128-bit segments; the key's length (16, 24, 32) chooses the cipher. */
  aesCfb(direction: "encrypt" | "decrypt", key: Uint8Array, iv: Uint8Array, data: Uint8Array): Uint8Array;
  /** DES in CBC mode without padding; where the runtime refuses DES, triple DES with one key three times is the same. */
  desCbc(direction: "encrypt" | "decrypt", key: Uint8Array, iv: Uint8Array, data: Uint8Array): Uint8Array;
  equal(a: Uint8Array, b: Uint8Array): boolean;
}

/** Octets of an authentication parameter (RFC 3414 section 6.3.1: 12; RFC 7860 section 4.2.2). */
export const AUTH_OCTETS: Readonly<Record<AuthProtocol, number>> = {
  md5: 12,
  sha1: 12,
  sha224: 16,
  sha256: 24,
  sha384: 32,
  sha512: 48,
};
