export {
  Channel,
  type CommandChannel,
  type LogFileChannel,
  SNMP_HASHES,
  type SnmpChannel,
  type SyslogChannel,
  type WebhookChannel,
} from "./channel.js";
export { INCIDENTS, parseIncidentFilter } from "./incident-filter.js";
export {
  type MailedIncident,
  type MailText,
  mailOf,
  mailOfMany,
  plainMessage,
  previewOf,
  type ToldOf,
  type Writing,
} from "./message.js";
export { noticesOf } from "./notices.js";
export {
  concerns,
  followUpsOf,
  type IncidentToNotify,
  isHistory,
  nextReminder,
  notifiedChangeOf,
  planNotification,
  reasonToDrop,
  retryAfterUs,
  type SentBefore,
  TOGETHER_FROM,
  UPDATES_APART_US,
} from "./plan.js";
export { onDuty, Rota } from "./rota.js";
export {
  MESSAGES,
  type Message,
  NOTIFIED_CHANGES,
  NotifyRoute,
  NotifyRouteParts,
  TELLS,
  type Tells,
  whomOf,
} from "./route.js";
export { MIB_ROOT, notificationOf } from "./snmp.js";
export { octetCounted, syslogLine } from "./syslog.js";
export { ENGLISH } from "./texts/english.js";
export { TEXT_KINDS, type TextKind } from "./texts/kinds.js";
export { NotifyTexts, writtenText } from "./texts/own-texts.js";
export { readTemplate } from "./texts/template.js";
export { variablesOf } from "./texts/variables.js";
export { waitsUntil } from "./waits.js";
export { signatureBase, webhookBody } from "./webhook.js";
