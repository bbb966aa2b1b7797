import type { StoredContent } from "./record-columns.js";

/** How many days a record is kept, when not as long as all others of its shape: a rule of arrival says so first, then its sender, then its kind. */
export const keepDaysBy =
  (ofSender: (id: number) => number | null | undefined, byKind: ReadonlyMap<string, number>) =>
  (record: StoredContent): number | null =>
    record.keepDays ?? ofSender(record.sender) ?? byKind.get(record.content.kind) ?? null;
