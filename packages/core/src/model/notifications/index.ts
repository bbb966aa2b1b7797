export {
  type NamedObjects,
  type NotificationName,
  NotificationNames,
  type ObjectName,
  STANDARD_NOTIFICATIONS,
} from "./notifications.js";
