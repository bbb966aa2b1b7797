import { randomBytes } from "node:crypto";
import { chmodSync, existsSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { z } from "zod";

/** What Halvik makes for itself at its first start; kept in the data directory, readable by its own user only. */
const Secrets = z.object({ dbOwnerPassword: z.string(), dbWebPassword: z.string(), sessionSecret: z.string() });
export type Secrets = z.infer<typeof Secrets>;

const secretsFile = (dataDir: string): string => join(dataDir, "secrets.json");
const fresh = (): string => randomBytes(24).toString("base64url");

export function loadSecrets(dataDir: string): Secrets {
  return Secrets.parse(JSON.parse(readFileSync(secretsFile(dataDir), "utf8")));
}

export function loadOrMakeSecrets(dataDir: string): Secrets {
  if (existsSync(secretsFile(dataDir))) return loadSecrets(dataDir);
  const secrets: Secrets = { dbOwnerPassword: fresh(), dbWebPassword: fresh(), sessionSecret: fresh() };
  writeFileSync(secretsFile(dataDir), JSON.stringify(secrets), { mode: 0o600 });
  chmodSync(secretsFile(dataDir), 0o600);
  return secrets;
}
