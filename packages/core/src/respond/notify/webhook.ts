import type { WebhookChannel } from "./channel.js";
import type { MailedIncident, MailText } from "./message.js";
import type { Tells } from "./route.js";

/** A message as programs read it; the schema stands in docs/notifications.md. */
export interface WebhookMessage {
  /** The same whenever this message is sent again. */
  readonly id: string;
  readonly tells: Tells;
  readonly notification: string;
  readonly subject: string;
  readonly text: string;
  readonly incidents: readonly {
    readonly id: number;
    readonly link: string;
    readonly title: string;
    readonly severity: string;
    readonly state: string;
    readonly first: string;
    readonly last: string;
    readonly count: number;
    readonly entities: readonly { readonly field: string; readonly value: string }[];
    readonly rules: readonly string[];
  }[];
}

/** The body of a request for a message. */
export function webhookBody(
  format: WebhookChannel["format"],
  { id, tells, notification }: { readonly id: string; readonly tells: Tells; readonly notification: string },
  mail: Pick<MailText, "subject" | "text">,
  about: readonly { readonly detail: MailedIncident; readonly link: string }[],
): string {
  if (format === "chat") return JSON.stringify({ text: [mail.subject, ...about.map((a) => a.link)].join("\n") });
  const body: WebhookMessage = {
    id,
    tells,
    notification,
    subject: mail.subject,
    text: mail.text,
    incidents: about.map(({ detail: { incident: i, rules }, link }) => ({
      id: i.id,
      link,
      title: i.title,
      severity: i.severity,
      state: i.state,
      first: i.first,
      last: i.last,
      count: i.count,
      entities: i.entities.map(({ field, value }) => ({ field, value })),
      rules: rules.map((r) => r.name),
    })),
  };
  return JSON.stringify(body);
}

/** A covered component of a signature: its name and its value in this message. */
export type Component = readonly [name: string, value: string];

/**
 * The parameters of an HTTP message signature and the text that is signed (RFC 9421 sections 2.3 and 2.5).
 * @param createdS seconds since 1970
 */
export function signatureBase(
  components: readonly Component[],
  createdS: number,
  keyId: string,
  algorithm: string | null,
): { readonly params: string; readonly base: string } {
  const names = components.map(([name]) => `"${name}"`).join(" ");
  const params = `(${names});created=${createdS};keyid="${keyId}"${algorithm === null ? "" : `;alg="${algorithm}"`}`;
  const lines = components.map(([name, value]) => `"${name}": ${value}`);
  return { params, base: [...lines, `"@signature-params": ${params}`].join("\n") };
}
