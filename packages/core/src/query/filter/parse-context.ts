import type { SenderDirectory } from "../../model/senders/index.js";

export interface ParseContext {
  /** The reader's zone, for times written without one. */
  readonly zone: string;
  /** Where given, sender, group and site names are checked against it. */
  readonly directory?: SenderDirectory;
  /** Texts of saved filters by name, for `filter "name"`. */
  readonly saved?: readonly SavedText[];
  /** Whether it may be asked what came after something: only of records that are stored. */
  readonly allowsAfter?: boolean;
}

export interface SavedText {
  readonly name: string;
  readonly text: string;
}
