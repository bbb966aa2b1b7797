export {
  ENTRIES_MOST,
  LIST_KINDS,
  type ListKind,
  type NamedList,
  NamedLists,
  NO_LISTS,
  readListValue,
  VALUE_MOST,
} from "./named-lists.js";
export { readStixBundle } from "./stix.js";
