import type { RecordJson } from "@halvik/contract/records";

/** Kinds whose own text says it best; the others are told in a sentence. */
const OWN_WORDS = ["syslog", "json", "halvik"];

/** What a record says in one line. */
export const lineText = (record: RecordJson): string =>
  OWN_WORDS.includes(record.kind) && record.text !== "" ? record.text : record.sentence;
