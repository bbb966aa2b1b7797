import { raiseEngineStopped } from "../domains/health/engine-stopped.js";
import { writeHeartbeat } from "../domains/health/repository.js";
import { DirectoryCache } from "../domains/intake/senders/directory-cache.js";
import { Presenter } from "../domains/names/presenter.js";
import { planDeliveries } from "../domains/notifications/plan-deliveries.js";
import { planReports } from "../domains/notifications/plan-reports.js";
import { sendDue } from "../domains/notifications/send-due.js";
import { mailerOf } from "../domains/notifications/ways/mail.js";
import { Ways } from "../domains/notifications/ways/ways.js";
import { nowUs } from "../kernel/clock.js";
import type { Config } from "../kernel/config/config.js";
import { publicUrl } from "../kernel/config/public-url.js";
import { keepSession } from "../kernel/db/keep-session.js";
import type { Client } from "../kernel/db/pool.js";
import type { RoleContext } from "../kernel/role-input.js";

const IDLE_MS = 500;
const HEARTBEAT_MS = 5_000;

/** Tells people of incidents: a process of its own, so that a mail server that hangs holds nothing else up. */
export async function startNotifier({ config, secrets }: RoleContext): Promise<() => Promise<void>> {
  const startedUs = nowUs();
  return keepSession("notifier", config, secrets, (client, stopping) => tell(client, config, startedUs, stopping));
}

async function tell(client: Client, config: Config, startedUs: number, stopping: () => boolean): Promise<void> {
  const directory = new DirectoryCache(client, config.HALVIK_ZONE);
  const presenter = new Presenter(client);
  const mailer = mailerOf(config);
  const ways = new Ways(client, mailer, config, nowUs);
  const heartbeat = (detail: object) =>
    writeHeartbeat(client, "notifier", config.HALVIK_NODE, startedUs, nowUs(), detail);
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
      await planReports(client, nowUs());
      await sendDue({
        db: client,
        ways,
        senders,
        present: await presenter.present(senders),
        baseUrl: publicUrl(config),
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
