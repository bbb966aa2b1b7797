/** Classes that several controls share: one place for how they look. */

/** A control one types or chooses in. */
export const CONTROL =
  "rounded-xs border border-line-strong bg-sheet px-2 py-1 text-ink disabled:cursor-default disabled:opacity-60";
/** A part of a sentence that can be changed. */
export const IN_A_SENTENCE = "border-b border-dotted border-ink text-ink hover:border-fjord hover:text-fjord";
/** What floats above the page. */
export const FLOATING = "z-30 rounded-xs border border-line-strong bg-sheet text-ui shadow-lg";
/** A tooltip: what a mark means, what was cut off. */
export const TIP = "z-40 rounded-xs bg-ink px-2 py-1 text-small break-words text-paper shadow-lg";
/** A line of a menu or list that can be chosen. */
export const CHOICE =
  "flex cursor-pointer items-baseline gap-2 px-3 py-1 text-ink no-underline outline-none data-highlighted:bg-wash data-disabled:cursor-default data-disabled:text-quiet";
/** A button that reads as a link. */
export const LINK = "text-fjord disabled:cursor-default disabled:text-line-strong";
