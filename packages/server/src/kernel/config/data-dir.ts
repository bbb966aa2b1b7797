import { join } from "node:path";

/**
 * Where a role keeps what it needs in the data directory. What lies under `roles/` belongs to the user of one role each; everything else
 * (secrets, the cluster, logs, the TLS key) to the one who runs PostgreSQL and starts the roles.
 */
export const rolesDir = (dataDir: string): string => join(dataDir, "roles");

/** The collector's: spool, quarantine, its SNMP engine and the endpoints it had last. */
export const collectorDir = (dataDir: string): string => join(rolesDir(dataDir), "collector");

/** Files that the web role takes and the collector's user reads in and removes. */
export const uploadsDir = (dataDir: string): string => join(rolesDir(dataDir), "uploads");

/** Log files that notifications are written to: the notifier's, or where the administrator wants them. */
export const notifyLogDir = (config: {
  readonly HALVIK_DATA_DIR: string;
  readonly HALVIK_NOTIFY_LOG_DIR: string;
}): string => config.HALVIK_NOTIFY_LOG_DIR || join(rolesDir(config.HALVIK_DATA_DIR), "notifier");

/** What the stand-in mail server received; the web role shows it. */
export const mailSinkDir = (dataDir: string): string => join(rolesDir(dataDir), "mail-sink");
