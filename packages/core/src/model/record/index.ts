export {
  addCounts,
  type Count,
  countFromJson,
  countToJson,
  MAX_COUNT,
  readCount,
  timesRate,
  toCount,
} from "./count.js";
export { DATA_TYPES, dataFieldsOf } from "./data-fields.js";
export {
  dataValues,
  FIELDS,
  type Field,
  type FieldName,
  type FieldType,
  type FieldValue,
  field,
  fieldNamed,
  type RecordNames,
} from "./fields.js";
export { contentToJson, type RecordJson, recordToJson, writeContent } from "./json.js";
export { keepRecord, readKept } from "./kept.js";
export { KINDS, RECORD_KINDS, type RecordKind, TRAFFIC_KINDS } from "./kinds.js";
export {
  ACTIONS,
  type Action,
  CATEGORIES,
  type Category,
  FACILITIES,
  MARKS,
  type Mark,
  OUTCOMES,
  type Outcome,
  TIME_REASONS,
  type TimeReason,
} from "./names.js";
export { CODE_POINTS } from "./number-names.js";
export {
  type ContentDraft,
  emptyContent,
  type FlowFacts,
  type HalvikRecord,
  type RecordContent,
  type Translation,
} from "./record.js";
export { SESSION_FIELDS, sessionsOf } from "./sessions.js";
export { parseSeverity, SEVERITIES, type Severity, severityName } from "./severity.js";
export { eachSighted, hashesIn, LONGEST_SIGHTED, SIGHTED, type Sighted } from "./sightings.js";
