import { Command, Option } from "commander";
import { startWeb } from "../api/role.js";
import { startCollector } from "../collector/role.js";
import { loadConfig } from "../config/config.js";
import { loadSecrets } from "../config/secrets.js";
import { startEngine } from "../engine/role.js";
import { startKeeper } from "../keeper/role.js";
import { startNotifier } from "../notifier/role.js";

const ROLES = {
  collector: startCollector,
  engine: startEngine,
  keeper: startKeeper,
  notifier: startNotifier,
  web: startWeb,
} as const;

export const serveCommand = (): Command =>
  new Command("serve")
    .description("run one role in the foreground against a database that is running and up to date")
    .addOption(new Option("--role <role>", "which role").choices(Object.keys(ROLES)).makeOptionMandatory())
    .action(async ({ role }: { role: keyof typeof ROLES }) => {
      const config = loadConfig(process.env);
      const stop = await ROLES[role](config, loadSecrets(config.HALVIK_DATA_DIR));
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
