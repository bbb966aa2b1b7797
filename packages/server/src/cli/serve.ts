import { Command, Option } from "commander";
import { loadConfig } from "../config/config.js";
import { loadSecrets } from "../config/secrets.js";

/** Each with its own libraries only. */
const ROLES = {
  collector: async () => (await import("../collector/role.js")).startCollector,
  engine: async () => (await import("../engine/role.js")).startEngine,
  keeper: async () => (await import("../keeper/role.js")).startKeeper,
  notifier: async () => (await import("../notifier/role.js")).startNotifier,
  web: async () => (await import("../api/role.js")).startWeb,
} as const;

export const serveCommand = (): Command =>
  new Command("serve")
    .description("run one role in the foreground against a database that is running and up to date")
    .addOption(new Option("--role <role>", "which role").choices(Object.keys(ROLES)).makeOptionMandatory())
    .action(async ({ role }: { role: keyof typeof ROLES }) => {
      const config = loadConfig(process.env);
      const start = await ROLES[role]();
      const stop = await start(config, loadSecrets(config.HALVIK_DATA_DIR));
      const end = () =>
        void stop().then(
          () => process.exit(0),
          () => process.exit(1),
        );
      process.once("SIGTERM", end);
      process.once("SIGINT", end);
      // the one who started this role has gone: nobody would end it any more
      process.once("disconnect", end);
      process.send?.("ready");
    });
