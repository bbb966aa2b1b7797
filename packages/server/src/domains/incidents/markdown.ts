import type { IncidentDetail } from "@halvik/contract/incidents";
import { plain } from "@halvik/core/base/text";

/** A task as a line of a list. */
export const taskLine = (t: IncidentDetail["tasks"][number]): string =>
  `- ${t.done ? "done" : "to do"}: ${plain(t.text)}${t.done ? ` (${plain(t.done.by)})` : ""}`;
