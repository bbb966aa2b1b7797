/** What every code editor has alike: what floats over it, what is offered, and what is wrong where it is. For CodeMirror's `EditorView.theme`. */
export const EDITOR_LOOK = {
  ".cm-tooltip": {
    background: "var(--sheet)",
    border: "1px solid var(--line-strong)",
    borderRadius: "2px",
    color: "var(--ink)",
  },
  ".cm-tooltip-autocomplete ul li": { fontFamily: "var(--font-mono)", padding: "2px 8px !important" },
  ".cm-tooltip-autocomplete ul li[aria-selected]": {
    background: "var(--fjord-wash) !important",
    color: "var(--ink) !important",
  },
  ".cm-completionDetail": {
    color: "var(--quiet)",
    fontFamily: "var(--font-sans)",
    fontStyle: "normal",
    marginLeft: "16px",
  },
  ".cm-lintRange-error": {
    backgroundImage: "none",
    textDecoration: "underline wavy var(--vermilion) 1px",
    textUnderlineOffset: "3px",
  },
  ".cm-diagnostic-error": { borderLeft: "2px solid var(--vermilion)" },
} as const;
