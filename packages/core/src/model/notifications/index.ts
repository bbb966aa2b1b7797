export { type NotificationName, NotificationNames, STANDARD_NOTIFICATIONS } from "./notifications.js";
