export {
  NotificationNames,
  type ObjectName,
  STANDARD_NOTIFICATIONS,
} from "./notifications.js";
