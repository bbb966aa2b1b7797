import { type HandOverBlock, handOver, type PaperInWords } from "@halvik/core/papers";
import type { Content, TableCell } from "pdfmake/interfaces.js";
import { breakable, DIM, heading, LINES, titleOf, writePdf } from "../../../kernel/pdf/page.js";

/** The summary on paper. What people wrote in Markdown stands as they wrote it. */
export const handOverPdf = (told: PaperInWords): Promise<Uint8Array> =>
  writePdf({
    title: told.name,
    subject: `investigation ${told.id}`,
    author: told.madeBy,
    foot: `${told.name} · investigation ${told.id} · ${told.made}`,
    content: handOver(told).flatMap(contentOf),
  });

function contentOf(block: HandOverBlock): Content[] {
  switch (block.is) {
    case "heading":
      if (block.level === 1) return titleOf(block.text, "");
      return block.level === 2
        ? [heading(block.text)]
        : [{ text: breakable(block.text), bold: true, margin: [0, 8, 0, 2], headlineLevel: 2 }];
    case "paragraph":
      return [{ text: block.text, color: DIM }];
    case "items":
      return [{ ul: block.items.map((item) => ({ text: breakable(item) })), margin: [0, 0, 0, 3] }];
    case "written":
      return [{ text: breakable(block.markdown), margin: [0, 0, 0, 3] }];
    case "received":
      return block.lines.map((line) => ({ text: breakable(line), fontSize: 8, color: DIM, margin: [10, 1, 0, 3] }));
    case "table": {
      if (block.rows.length === 0) return [];
      const columns = Math.max(block.head.length, block.rows[0]!.length);
      const cell = (text: string, more: object = {}): TableCell => ({ text: breakable(text), ...more });
      return [
        {
          layout: LINES,
          fontSize: 8.5,
          margin: [0, 2, 0, 4],
          table: {
            headerRows: block.head.length === 0 ? 0 : 1,
            // the first is a name or a time, and so short; the widest is what happened
            widths: Array.from({ length: columns }, (_, i) => (i === 0 ? "auto" : "*")),
            body: [
              ...(block.head.length === 0 ? [] : [block.head.map((h) => cell(h, { color: DIM, bold: true }))]),
              ...block.rows.map((r) => r.map((c) => cell(c))),
            ],
          },
        },
      ];
    }
  }
}
