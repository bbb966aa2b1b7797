/** A part of a message that is set: the same as plain text and as HTML. */
export type Block =
  | { readonly is: "line"; readonly text: string }
  /** Stands over what follows. */
  | { readonly is: "heading"; readonly text: string }
  | { readonly is: "items"; readonly items: readonly string[] }
  /** Rows of the same number of cells; the last one is read as it came. */
  | { readonly is: "rows"; readonly rows: readonly (readonly string[])[] }
  | { readonly is: "link"; readonly url: string };

const TEXT_MOST = 400;

/** One line of what was received: control characters and line ends become visible, length is bounded. */
export function line(text: string): string {
  const shown = text.replace(/[\p{Cc}\p{Cf}\u2028\u2029]/gu, (c) =>
    c === "\n" || c === "\r" || c === "\t" ? " " : `\\u${c.codePointAt(0)!.toString(16).padStart(4, "0")}`,
  );
  return shown.length > TEXT_MOST ? `${shown.slice(0, TEXT_MOST)} …` : shown;
}

/** Plain text: what devices sent cannot become markup. */
export const plainOf = (blocks: readonly Block[]): string =>
  `${blocks
    .flatMap(plainLines)
    .join("\n")
    .replace(/\n{3,}/g, "\n\n")
    .trim()}\n`;

function plainLines(block: Block): readonly string[] {
  switch (block.is) {
    case "line":
    case "heading":
      return [block.text];
    case "items":
      return block.items.map((item) => `- ${item}`);
    case "rows":
      return block.rows.map((cells) => cells.join("  "));
    case "link":
      return [block.url];
  }
}

const STYLE = "font:15px/1.45 sans-serif;color:#1d2227;max-width:46em";
const CELL = "padding:1px 12px 1px 0;vertical-align:top";
const MARKS: Readonly<Record<string, string>> = { "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&#39;" };
const escaped = (text: string): string => text.replace(/[&<>"']/g, (c) => MARKS[c]!);

/** The same as HTML without anything that is fetched or runs: programs that read mail show it as it is. @param language tag of it */
export function htmlOf(blocks: readonly Block[], language: string): string {
  const set = blocks.map(setBlock);
  const body = set.filter(Boolean).join("\n");
  return `<!doctype html>\n<html lang="${escaped(language)}"><head><meta charset="utf-8"></head><body style="${STYLE}">\n${body}\n</body></html>\n`;
}

function setBlock(block: Block, at: number): string {
  switch (block.is) {
    case "line":
      if (block.text === "") return "";
      return at === 0 ? `<h1 style="font-size:18px">${escaped(block.text)}</h1>` : `<div>${escaped(block.text)}</div>`;
    case "heading":
      return `<h2 style="font-size:15px;margin:1em 0 .2em">${escaped(block.text)}</h2>`;
    case "items":
      return `<ul style="margin:0">${block.items.map((item) => `<li>${escaped(item)}</li>`).join("")}</ul>`;
    case "rows":
      return `<table style="border-collapse:collapse">${block.rows.map(rowOf).join("")}</table>`;
    case "link":
      return `<p><a href="${escaped(block.url)}">${escaped(block.url)}</a></p>`;
  }
}

const rowOf = (cells: readonly string[]): string =>
  `<tr>${cells
    .map(
      (cell, i) =>
        `<td style="${CELL};${i < cells.length - 1 ? "white-space:nowrap" : "overflow-wrap:anywhere"}">${escaped(cell)}</td>`,
    )
    .join("")}</tr>`;
