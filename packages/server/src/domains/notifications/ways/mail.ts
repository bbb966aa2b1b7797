import { createTransport, type Transporter } from "nodemailer";
import type { Config } from "../../../kernel/config/config.js";
import type { Outgoing, Sent } from "./way.js";

const TIMEOUT_MS = 20_000;
const WHY_MOST = 500;

export interface Mailer {
  send(to: readonly string[], message: Outgoing): Promise<Sent>;
  close(): void;
}

/** Sends by SMTP (RFC 5321) to the server that is set; null: none is. */
export function mailerOf(config: Config): Mailer | null {
  if (config.HALVIK_SMTP_URL === "") return null;
  const { username, password } = new URL(config.HALVIK_SMTP_URL);
  const hide = (text: string) =>
    [password, decodeURIComponent(password)].reduce((t, secret) => (secret ? t.replaceAll(secret, "…") : t), text);
  const transport: Transporter = createTransport({
    url: config.HALVIK_SMTP_URL,
    // a server that offers no TLS gets no password: the message fails and says so (RFC 8314 section 3)
    requireTLS: username !== "",
    connectionTimeout: TIMEOUT_MS,
    greetingTimeout: TIMEOUT_MS,
    socketTimeout: TIMEOUT_MS,
    disableFileAccess: true,
    disableUrlAccess: true,
  });
  const domain = config.HALVIK_MAIL_FROM.split("@")[1]!;
  /** @returns why it could not be sent; null: it was */
  const sendTo = async (one: string, to: readonly string[], message: Outgoing) => {
    const { id, thread, acknowledgeUrl } = message;
    const mail = message.write(acknowledgeUrl === null ? null : acknowledgeUrl(one));
    // what begins a conversation is none of its messages: each has an id of its own (RFC 5322 section 3.6.4)
    const threadId = thread && `<${thread}@${domain}>`;
    try {
      await transport.sendMail({
        from: { name: "Halvik", address: config.HALVIK_MAIL_FROM },
        to: [...to],
        envelope: { from: config.HALVIK_MAIL_FROM, to: [one] },
        subject: mail.subject,
        text: mail.text,
        html: mail.html,
        attachments: (mail.files ?? []).map((f) => ({
          filename: f.name,
          contentType: f.type,
          content: Buffer.from(f.bytes),
        })),
        // RFC 3834 section 5, RFC 3282
        headers: { "Auto-Submitted": "auto-generated", "Content-Language": mail.language },
        messageId: `<${id}@${domain}>`,
        ...(threadId ? { inReplyTo: threadId, references: [threadId] } : {}),
      });
      return null;
    } catch (e) {
      const { message: said, responseCode } = e as { message: string; responseCode?: number };
      // RFC 5321 4.2.1: 5yz is permanent
      return { why: hide(said).slice(0, WHY_MOST), permanent: responseCode !== undefined && responseCode >= 500 };
    }
  };
  return {
    async send(to, message) {
      const reached = to.filter((one) => message.reached.includes(one));
      const failed: { why: string; permanent: boolean }[] = [];
      // one by one: each has a link of its own, and one that is refused keeps nobody else from it
      for (const one of to.filter((o) => !reached.includes(o))) {
        const sent = await sendTo(one, to, message);
        if (sent === null) reached.push(one);
        else failed.push({ ...sent, why: to.length === 1 ? sent.why : `${one}: ${sent.why}` });
      }
      const why = failed
        .map((f) => f.why)
        .join("; ")
        .slice(0, WHY_MOST);
      if (failed.every((f) => f.permanent) && reached.length > 0) return { ok: true, why };
      return { ok: false, why, permanent: failed.every((f) => f.permanent), reached };
    },
    close: () => transport.close(),
  };
}
