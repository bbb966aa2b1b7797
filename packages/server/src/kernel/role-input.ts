import * as z from "zod";
import { nowUs } from "./clock.js";
import { type Config, configOf, loadConfig, type RawSettings, rawSettings } from "./config/config.js";
import { loadSecrets, type Secrets, SecretsShape } from "./config/secrets.js";
import { type TlsIdentity, tlsIdentity } from "./tls/tls-identity.js";

/** The roles of Halvik: a process, a database role and, where Halvik is started as root, a user of the system each. */
export const ROLES = ["collector", "engine", "keeper", "notifier", "web"] as const;
export type Role = (typeof ROLES)[number];

const SECRETS_OF = {
  collector: ["dbCollectorPassword"],
  engine: ["dbEnginePassword"],
  keeper: ["dbKeeperPassword"],
  notifier: ["dbNotifierPassword"],
  web: ["dbWebPassword", "sessionSecret"],
} as const satisfies Record<Role, readonly (keyof Secrets)[]>;

const SERVES_TLS: readonly Role[] = ["collector", "web"];

/** All that a role is given: it reads neither the settings file nor the secrets nor the key itself, and need not be able to. */
const RoleInput = z.object({
  settings: z.record(z.string(), z.string()),
  secrets: SecretsShape.partial(),
  tls: z.object({ key: z.string(), cert: z.string() }).nullable(),
});
type RoleInput = z.output<typeof RoleInput>;

export interface RoleContext {
  readonly config: Config;
  readonly secrets: Partial<Secrets>;
  /** Of the roles that serve TLS; null for the others. */
  readonly tls: TlsIdentity | null;
  /** The same, for a child that works for this role. */
  readonly input: string;
}

/** Says to a child of ours that its input stands on its standard input. */
export const INPUT_ON_STDIN = { HALVIK_INPUT: "stdin" };

/** What a role gets, written for its standard input. */
export async function roleInput(role: Role, settings: RawSettings, config: Config, secrets: Secrets): Promise<string> {
  const tls = SERVES_TLS.includes(role) ? await tlsIdentity(config, nowUs() / 1_000) : null;
  const own = Object.fromEntries(SECRETS_OF[role].map((name) => [name, secrets[name]]));
  return JSON.stringify({ settings, secrets: own, tls } satisfies RoleInput);
}

/** What this process was given by the one who started it; null where it was started by hand. */
export async function givenInput(): Promise<RoleContext | null> {
  const text = await given();
  return text === null ? null : contextOf(text);
}

/** The same for what needs settings alone. */
export async function givenSettings(): Promise<Config | null> {
  const text = await given();
  return text === null ? null : configOf(RoleInput.pick({ settings: true }).parse(JSON.parse(text)).settings);
}

async function given(): Promise<string | null> {
  if (process.env.HALVIK_INPUT !== "stdin") return null;
  const parts: Buffer[] = [];
  for await (const part of process.stdin) parts.push(part as Buffer);
  return Buffer.concat(parts).toString("utf8");
}

/** What a role that is started by hand works with, read from the data directory. */
export async function inputFromFiles(role: Role): Promise<RoleContext> {
  const settings = rawSettings(process.env);
  const config = loadConfig(process.env);
  return contextOf(await roleInput(role, settings, config, loadSecrets(config.HALVIK_DATA_DIR)));
}

function contextOf(input: string): RoleContext {
  const { settings, secrets, tls } = RoleInput.parse(JSON.parse(input));
  return { config: configOf(settings), secrets: secrets as Partial<Secrets>, tls, input };
}
