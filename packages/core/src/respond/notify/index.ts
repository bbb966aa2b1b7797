export {
  Channel,
  SYSLOG_TRANSPORTS,
  type SyslogChannel,
  WEBHOOK_FORMATS,
  type WebhookChannel,
} from "./channel.js";
export { type MailedIncident, type MailText, mailOf, mailOfMany } from "./message.js";
export {
  concerns,
  type FollowUp,
  followUpsOf,
  isHistory,
  nextReminder,
  planTelling,
  reasonToDrop,
  retryAfterUs,
  type SaidBefore,
  TOGETHER_FROM,
  type ToldIncident,
  tellingOf,
  UPDATES_APART_US,
} from "./plan.js";
export { type Duty, onDuty, Rota } from "./rota.js";
export {
  Escalation,
  MESSAGES,
  type Message,
  NotifyRoute,
  NotifyRouteParts,
  QuietWindow,
  TELLINGS,
  type Telling,
  whomOf,
} from "./route.js";
export { octetCounted, syslogLine } from "./syslog.js";
export { waitsUntil } from "./waits.js";
export { signatureBase, webhookBody } from "./webhook.js";
