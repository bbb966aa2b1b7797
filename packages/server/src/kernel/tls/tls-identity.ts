import { X509Certificate } from "node:crypto";
import { existsSync, mkdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import type { Config } from "../config/config.js";
import { writeDurably } from "../files/durable.js";
import { handOver } from "../files/owners.js";

export interface TlsIdentity {
  readonly key: string;
  readonly cert: string;
}

/** Key and certificate of TLS syslog and HTTPS intake: those that were set, else own ones, made once. @throws when set files cannot be read */
export async function tlsIdentity(config: Config, nowMs: number): Promise<TlsIdentity> {
  const { HALVIK_TLS_KEY_FILE: keyFile, HALVIK_TLS_CERT_FILE: certFile } = config;
  if ((keyFile === "") !== (certFile === ""))
    throw new Error("HALVIK_TLS_KEY_FILE and HALVIK_TLS_CERT_FILE go together: set both or neither");
  if (keyFile !== "") return { key: readFileSync(keyFile, "utf8"), cert: readFileSync(certFile, "utf8") };
  const dir = join(config.HALVIK_DATA_DIR, "tls");
  const own = { key: join(dir, "key.pem"), cert: join(dir, "cert.pem") };
  if (!existsSync(own.cert)) {
    // only ever needed once, and slow to load
    const made = await (await import("./self-signed.js")).selfSigned(nowMs);
    mkdirSync(dir, { recursive: true, mode: 0o700 });
    writeDurably(own.key, made.key);
    // the certificate last: where it is, there is a key
    writeDurably(own.cert, made.cert, 0o644);
    for (const path of [dir, own.key, own.cert]) handOver(path);
  }
  return { key: readFileSync(own.key, "utf8"), cert: readFileSync(own.cert, "utf8") };
}

/** The certificate that senders and browsers see. */
export const certificateFile = (config: Config): string =>
  config.HALVIK_TLS_CERT_FILE || join(config.HALVIK_DATA_DIR, "tls", "cert.pem");

/** SHA-256 of a PEM certificate, in hex: what senders are told to expect. */
export const fingerprintOf = (cert: string): string =>
  new X509Certificate(cert).fingerprint256.replaceAll(":", "").toLowerCase();
