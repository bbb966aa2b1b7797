import type pg from "pg";
import { Presenter } from "../api/presenter.js";
import { nowUs } from "../config/clock.js";
import type { Config } from "../config/config.js";
import type { RoleContext } from "../config/role-input.js";
import { raiseEngineStopped } from "../engine/engine-stopped.js";
import { DirectoryCache } from "../store/directory-cache.js";
import { keepSession } from "../store/keep-session.js";
import { writeHeartbeat } from "../store/status.js";
import { mailerOf } from "./mailer.js";
import { planDeliveries } from "./plan-deliveries.js";
import { sendDue } from "./send-due.js";

const IDLE_MS = 500;
const HEARTBEAT_MS = 5_000;

/** Tells people of incidents: a process of its own, so that a mail server that hangs holds nothing else up. */
export async function startNotifier({ config, secrets }: RoleContext): Promise<() => Promise<void>> {
  const startedUs = nowUs();
  return keepSession("notifier", config, secrets, (client, stopping) => tell(client, config, startedUs, stopping));
}

async function tell(client: pg.Client, config: Config, startedUs: number, stopping: () => boolean): Promise<void> {
  const directory = new DirectoryCache(client, config.HALVIK_ZONE);
  const presenter = new Presenter(client);
  const mailer = mailerOf(config);
  const heartbeat = (detail: object) => writeHeartbeat(client, "notifier", startedUs, nowUs(), detail);
  // a heart that goes on beating while a mail server lets one wait
  const beating = setInterval(() => void heartbeat({}).catch(() => undefined), HEARTBEAT_MS);
  try {
    await heartbeat({});
    let watchedMs = 0;
    while (!stopping()) {
      if (performance.now() - watchedMs > HEARTBEAT_MS) {
        watchedMs = performance.now();
        await raiseEngineStopped(client, startedUs, nowUs());
      }
      const senders = await directory.get();
      const more = await planDeliveries(client, senders, nowUs());
      await sendDue({
        db: client,
        mailer,
        senders,
        present: await presenter.present(senders),
        linkOf: (incident) => `${publicUrl(config)}/incidents/${incident}`,
        now: nowUs,
      });
      if (!more) await new Promise((resolve) => setTimeout(resolve, IDLE_MS));
    }
    await heartbeat({ stopped: true });
  } finally {
    clearInterval(beating);
    mailer?.close();
  }
}

function publicUrl(config: Config): string {
  if (config.HALVIK_PUBLIC_URL !== "") return config.HALVIK_PUBLIC_URL.replace(/\/$/, "");
  const host = config.HALVIK_HTTP_HOST.includes(":") ? `[${config.HALVIK_HTTP_HOST}]` : config.HALVIK_HTTP_HOST;
  return `http://${host}:${config.HALVIK_HTTP_PORT}`;
}
