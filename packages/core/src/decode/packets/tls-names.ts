/** Versions on the wire (RFC 8446 section 4.1.2 and its appendix D; RFC 6101). */
const VERSIONS: Readonly<Record<number, string>> = {
  768: "SSL 3.0",
  769: "TLS 1.0",
  770: "TLS 1.1",
  771: "TLS 1.2",
  772: "TLS 1.3",
};
export const versionName = (version: number): string => VERSIONS[version] ?? `0x${hex(version)}`;

/** IANA, TLS Cipher Suites: those in common use (RFC 8446 B.4; RFC 5246 A.5; RFC 5289; RFC 7905; RFC 4492; RFC 6655). */
const CIPHERS: Readonly<Record<number, string>> = {
  4: "TLS_RSA_WITH_RC4_128_MD5",
  5: "TLS_RSA_WITH_RC4_128_SHA",
  10: "TLS_RSA_WITH_3DES_EDE_CBC_SHA",
  47: "TLS_RSA_WITH_AES_128_CBC_SHA",
  51: "TLS_DHE_RSA_WITH_AES_128_CBC_SHA",
  53: "TLS_RSA_WITH_AES_256_CBC_SHA",
  57: "TLS_DHE_RSA_WITH_AES_256_CBC_SHA",
  60: "TLS_RSA_WITH_AES_128_CBC_SHA256",
  61: "TLS_RSA_WITH_AES_256_CBC_SHA256",
  103: "TLS_DHE_RSA_WITH_AES_128_CBC_SHA256",
  107: "TLS_DHE_RSA_WITH_AES_256_CBC_SHA256",
  156: "TLS_RSA_WITH_AES_128_GCM_SHA256",
  157: "TLS_RSA_WITH_AES_256_GCM_SHA384",
  158: "TLS_DHE_RSA_WITH_AES_128_GCM_SHA256",
  159: "TLS_DHE_RSA_WITH_AES_256_GCM_SHA384",
  4865: "TLS_AES_128_GCM_SHA256",
  4866: "TLS_AES_256_GCM_SHA384",
  4867: "TLS_CHACHA20_POLY1305_SHA256",
  4868: "TLS_AES_128_CCM_SHA256",
  49161: "TLS_ECDHE_ECDSA_WITH_AES_128_CBC_SHA",
  49162: "TLS_ECDHE_ECDSA_WITH_AES_256_CBC_SHA",
  49171: "TLS_ECDHE_RSA_WITH_AES_128_CBC_SHA",
  49172: "TLS_ECDHE_RSA_WITH_AES_256_CBC_SHA",
  49187: "TLS_ECDHE_ECDSA_WITH_AES_128_CBC_SHA256",
  49188: "TLS_ECDHE_ECDSA_WITH_AES_256_CBC_SHA384",
  49191: "TLS_ECDHE_RSA_WITH_AES_128_CBC_SHA256",
  49192: "TLS_ECDHE_RSA_WITH_AES_256_CBC_SHA384",
  49195: "TLS_ECDHE_ECDSA_WITH_AES_128_GCM_SHA256",
  49196: "TLS_ECDHE_ECDSA_WITH_AES_256_GCM_SHA384",
  49199: "TLS_ECDHE_RSA_WITH_AES_128_GCM_SHA256",
  49200: "TLS_ECDHE_RSA_WITH_AES_256_GCM_SHA384",
  52392: "TLS_ECDHE_RSA_WITH_CHACHA20_POLY1305_SHA256",
  52393: "TLS_ECDHE_ECDSA_WITH_CHACHA20_POLY1305_SHA256",
};
export const cipherName = (cipher: number): string => CIPHERS[cipher] ?? `0x${hex(cipher)}`;

/** RFC 8446 section 6. */
const ALERTS: Readonly<Record<number, string>> = {
  0: "close notify",
  10: "unexpected message",
  20: "bad record mac",
  22: "record overflow",
  40: "handshake failure",
  42: "bad certificate",
  43: "unsupported certificate",
  44: "certificate revoked",
  45: "certificate expired",
  46: "certificate unknown",
  47: "illegal parameter",
  48: "unknown ca",
  49: "access denied",
  50: "decode error",
  51: "decrypt error",
  70: "protocol version",
  71: "insufficient security",
  80: "internal error",
  86: "inappropriate fallback",
  90: "user canceled",
  109: "missing extension",
  110: "unsupported extension",
  112: "unrecognized name",
  113: "bad certificate status response",
  115: "unknown psk identity",
  116: "certificate required",
  120: "no application protocol",
};
export const alertName = (alert: number): string => ALERTS[alert] ?? `alert ${alert}`;

const hex = (n: number): string => n.toString(16).padStart(4, "0");
