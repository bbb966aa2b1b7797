export { type MailedIncident, type MailText, mailOf, mailOfMany } from "./message.js";
export {
  concerns,
  isHistory,
  planTelling,
  reasonToDrop,
  retryAfterUs,
  type SaidBefore,
  TOGETHER_FROM,
  type ToldIncident,
  tellingOf,
  UPDATES_APART_US,
} from "./plan.js";
export { NotifyRoute, TELLINGS, type Telling } from "./route.js";
