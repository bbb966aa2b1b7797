import { randomBytes } from "node:crypto";
import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import * as z from "zod";
import { writeDurably } from "../files/durable.js";

/** What Halvik makes for itself at its first start; kept in the data directory, readable by its own user only. */
const made = z.string().min(16);
export const SecretsShape = z.object({
  dbOwnerPassword: made,
  dbWebPassword: made,
  sessionSecret: made,
  dbCollectorPassword: made,
  dbEnginePassword: made,
  dbKeeperPassword: made,
  dbNotifierPassword: made,
});
export type Secrets = z.infer<typeof SecretsShape>;

const secretsFile = (dataDir: string): string => join(dataDir, "secrets.json");
const fresh = (): string => randomBytes(24).toString("base64url");

const Earlier = SecretsShape.pick({ dbOwnerPassword: true, dbWebPassword: true, sessionSecret: true });

const freshSecrets = (): Secrets =>
  SecretsShape.parse(Object.fromEntries(Object.keys(SecretsShape.shape).map((name) => [name, fresh()])));

/** Why the secrets cannot be used, in words. */
export class SecretsError extends Error {
  readonly code = "BAD_SECRETS";
}

/** @throws {SecretsError} when the file is cut or damaged; as it comes where it is not there or may not be read */
export function loadSecrets(dataDir: string, mayMake = false): Secrets {
  const file = secretsFile(dataDir);
  const text = readFileSync(file, "utf8");
  let value: unknown = null;
  try {
    value = JSON.parse(text);
  } catch {}
  const secrets = SecretsShape.safeParse(value);
  if (secrets.success) return secrets.data;
  // of an earlier version, which had fewer: the next start makes the others
  if (mayMake && Earlier.safeParse(value).success) {
    const more = SecretsShape.parse({ ...freshSecrets(), ...(value as object) });
    writeDurably(file, JSON.stringify(more));
    return more;
  }
  throw new SecretsError(
    `${file} is ${text.trim() === "" ? "empty" : "damaged"}: without it the database cannot be opened. Put back the file from a copy of the data directory; where there is none, move the directory away and restore a backup into a new one`,
  );
}

/** The secrets, made where there is nothing yet that they would open. */
export function loadOrMakeSecrets(dataDir: string): Secrets {
  if (existsSync(secretsFile(dataDir))) {
    try {
      return loadSecrets(dataDir, true);
    } catch (e) {
      // a start that was cut short before there was a database
      if (!(e instanceof SecretsError) || existsSync(join(dataDir, "postgres", "PG_VERSION"))) throw e;
    }
  }
  const secrets = freshSecrets();
  writeDurably(secretsFile(dataDir), JSON.stringify(secrets));
  return secrets;
}
