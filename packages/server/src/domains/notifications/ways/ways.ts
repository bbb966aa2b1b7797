import { type Channel, type NotifyRoute, onDuty, whomOf } from "@halvik/core/respond/notify";
import type { Config } from "../../../kernel/config/config.js";
import { notifyLogDir } from "../../../kernel/config/data-dir.js";
import type { Queryable } from "../../../kernel/db/pool.js";
import { OneAtATime } from "../../../kernel/one-at-a-time.js";
import { channelSecrets, listChannels, listRotas } from "../settings-repository.js";
import { runCommand } from "./command.js";
import { writeLogFile } from "./log-file.js";
import type { Mailer } from "./mail.js";
import { sendSnmp } from "./snmp.js";
import { sendSyslog } from "./syslog.js";
import type { Send } from "./way.js";
import { sendWebhook } from "./webhook.js";

/** A way that a message goes by, and whom it reaches, as the log names them; or why there is none. */
export type Found = { readonly send: Send; readonly to: readonly string[] } | { readonly missing: string };

/** Finds the way of each message, as it is set up when it is sent. */
export class Ways {
  /** Two that write to one file at once would put it aside twice. */
  private readonly files = new OneAtATime();

  /** @param mailer null: no mail server is set */
  constructor(
    private readonly db: Queryable,
    private readonly mailer: Mailer | null,
    private readonly config: Config,
    private readonly nowUs: () => number,
  ) {}

  async find(
    route: NotifyRoute,
    { step, channel }: { readonly step: number; readonly channel: number | null },
    nowUs: number,
  ): Promise<Found> {
    return channel === null ? this.mail(route, step, nowUs) : this.channel(channel);
  }

  private async mail(route: NotifyRoute, step: number, nowUs: number): Promise<Found> {
    const whom = whomOf(route, step);
    if (whom === null) return { missing: "the notification does not go on to anybody there any more" };
    const { mailer } = this;
    if (mailer === null) return { missing: "no mail server is set (HALVIK_SMTP_URL)" };
    const rotas = whom.rotas.length === 0 ? [] : await listRotas(this.db);
    const duty = whom.rotas.flatMap((id) => {
      const rota = rotas.find((r) => r.id === id);
      return rota === undefined ? [] : [onDuty(rota.body, nowUs).to];
    });
    const to = [...new Set([...whom.to, ...duty])];
    if (to.length === 0) return { missing: "the rota it names was deleted" };
    return { to, send: (message) => mailer.send(to, message) };
  }

  private async channel(id: number): Promise<Found> {
    const found = (await listChannels(this.db)).find((c) => c.id === id);
    if (found === undefined) return { missing: "the channel it names was deleted" };
    const { body: channel } = found;
    return { to: [channel.name], send: await this.senderOf(id, channel) };
  }

  private async senderOf(id: number, channel: Channel): Promise<Send> {
    const { config, nowUs } = this;
    const allowed = config.HALVIK_NOTIFY_NETWORKS;
    const secrets = (await channelSecrets(this.db)).get(id) ?? { secret: "", privacySecret: "" };
    switch (channel.kind) {
      case "webhook":
        return (message) => sendWebhook({ channel, secret: secrets.secret, allowed, nowUs }, message);
      case "syslog":
        return (message) => sendSyslog({ channel, allowed, nowUs }, message);
      case "snmp":
        return (message) => sendSnmp({ channel, ...secrets, allowed, node: config.HALVIK_NODE, nowUs }, message);
      case "file":
        return (message) => this.files.run(() => writeLogFile({ channel, dir: notifyLogDir(config), nowUs }, message));
      case "command":
        return (message) => runCommand({ channel, programs: config.HALVIK_NOTIFY_PROGRAMS }, message);
    }
  }
}
