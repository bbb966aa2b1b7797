import type { StoredContent } from "./record-columns.js";

/** How many days a record is kept, when not as long as all others of its shape: its sender says so first, then its kind. */
export const keepDaysBy =
  (ofSender: (id: number) => number | null | undefined, byKind: ReadonlyMap<string, number>) =>
  (record: StoredContent): number | null =>
    ofSender(record.sender) ?? byKind.get(record.content.kind) ?? null;
