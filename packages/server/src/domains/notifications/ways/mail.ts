import { createTransport, type Transporter } from "nodemailer";
import type { Config } from "../../../kernel/config/config.js";
import type { Outgoing, Sent } from "./way.js";

const TIMEOUT_MS = 20_000;

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
  return {
    async send(to, { id, text: mail, thread }) {
      // what begins a conversation is none of its messages: each has an id of its own (RFC 5322 section 3.6.4)
      const threadId = thread && `<${thread}@${domain}>`;
      try {
        await transport.sendMail({
          from: { name: "Halvik", address: config.HALVIK_MAIL_FROM },
          to: [...to],
          subject: mail.subject,
          text: mail.text,
          headers: { "Auto-Submitted": "auto-generated" },
          messageId: `<${id}@${domain}>`,
          ...(threadId ? { inReplyTo: threadId, references: [threadId] } : {}),
        });
        return { ok: true };
      } catch (e) {
        const { message, responseCode } = e as { message: string; responseCode?: number };
        // RFC 5321 4.2.1: 5yz is permanent
        return {
          ok: false,
          why: hide(message).slice(0, 500),
          permanent: responseCode !== undefined && responseCode >= 500,
        };
      }
    },
    close: () => transport.close(),
  };
}
