import { type NotifyRoute, onDuty, whomOf } from "@halvik/core/respond/notify";
import type { Queryable } from "../../../kernel/db/pool.js";
import { channelSecrets, listChannels, listRotas } from "../settings-repository.js";
import type { Mailer } from "./mail.js";
import { sendSyslog } from "./syslog.js";
import type { Send } from "./way.js";
import { sendWebhook } from "./webhook.js";

/** A way that a message goes by, and whom it reaches, as the log names them; or why there is none. */
export type Found = { readonly send: Send; readonly to: readonly string[] } | { readonly missing: string };

/** Finds the way of each message, as it is set up when it is sent. */
export class Ways {
  /** @param mailer null: no mail server is set @param allowed blocks of inside addresses that may be sent to */
  constructor(
    private readonly db: Queryable,
    private readonly mailer: Mailer | null,
    private readonly allowed: readonly string[],
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
    const { allowed, nowUs } = this;
    const to = [channel.name];
    if (channel.kind === "syslog") return { to, send: (message) => sendSyslog({ channel, allowed, nowUs }, message) };
    const secret = (await channelSecrets(this.db)).get(id) ?? "";
    return { to, send: (message) => sendWebhook({ channel, secret, allowed, nowUs }, message) };
  }
}
