import { type JsonItem, JsonRecords } from "./split-records.js";

/** The records of a whole body: see `JsonRecords`. */
export function* parseJsonRecords(text: string): Generator<JsonItem> {
  const records = new JsonRecords();
  yield* records.push(text);
  yield* records.end();
}
