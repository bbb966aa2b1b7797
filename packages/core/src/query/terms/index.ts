export { dataPrefix, type EncodedPart, hasTerms, PartBuilder, termPrefix } from "./part-builder.js";
export {
  DIRECTORY_ROWS,
  type DirectoryColumns,
  decodeDirectory,
} from "./row-directory.js";
export { countRowsIn, decodeRows, eachRowIn, RowSet } from "./row-set.js";
export { blocksFor, blocksWithPrefix, type PartAnswer, type StoredBlock, searchPart } from "./search-part.js";
export { readTerms } from "./term-blocks.js";
export { planFilter, type TermPlan } from "./term-plan.js";
