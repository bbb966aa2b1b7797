import { existsSync } from "node:fs";
import { Command, Option } from "commander";
import { loadConfig } from "../kernel/config/config.js";
import { rolesDir } from "../kernel/config/data-dir.js";
import { roleUser, runAsUser } from "../kernel/files/owners.js";
import { givenInput, inputFromFiles, ROLES, type Role, type RoleContext } from "../kernel/role-input.js";

/** Each with its own libraries only. */
const STARTS = {
  collector: async () => (await import("../roles/collector.js")).startCollector,
  engine: async () => (await import("../roles/engine.js")).startEngine,
  keeper: async () => (await import("../roles/keeper.js")).startKeeper,
  notifier: async () => (await import("../roles/notifier.js")).startNotifier,
  web: async () => (await import("../roles/web.js")).startWeb,
} as const satisfies Record<Role, () => Promise<(context: RoleContext) => Promise<() => Promise<void>>>>;

export const serveCommand = (): Command =>
  new Command("serve")
    .addOption(new Option("--role <role>", "which role").choices(ROLES).makeOptionMandatory())
    .action(async ({ role }: { role: Role }) => {
      const context = (await givenInput()) ?? (await byHand(role));
      becomeUserOf(role);
      const start = await STARTS[role]();
      const stop = await start(context);
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

/** Started by hand, perhaps on a machine where no Halvik has been started: then its directories are made first. */
async function byHand(role: Role): Promise<RoleContext> {
  const config = loadConfig(process.env);
  if (!existsSync(rolesDir(config.HALVIK_DATA_DIR))) {
    const { prepareDataDir } = await import("../start/prepare.js");
    prepareDataDir(config, runAsUser());
  }
  return inputFromFiles(role);
}

/** Started by hand as root: nothing of a role runs as root. Ports below 1024 are bound by what bin/start starts. */
function becomeUserOf(role: Role): void {
  const user = roleUser(role);
  if (user === null) return;
  process.setgroups?.([]);
  process.setgid?.(user.gid);
  process.setuid?.(user.uid);
}
