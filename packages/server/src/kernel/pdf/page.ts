import { createRequire } from "node:module";
import { dirname, join } from "node:path";
import type pdfmake from "pdfmake";
import type { Content, TDocumentDefinitions } from "pdfmake/interfaces.js";

// a family whose letters reach further than those of the interface: what was received is of any script
const fontsIn = () => join(dirname(createRequire(import.meta.url).resolve("pdfmake/package.json")), "fonts", "Roboto");

/** Read when the first document is made: it is larger than all else a web server reads when it starts. */
let printer: Promise<typeof pdfmake> | undefined;
async function makePrinter(): Promise<typeof pdfmake> {
  const { default: pdfmake } = await import("pdfmake");
  const fonts = fontsIn();
  pdfmake.addFonts({
    Roboto: {
      normal: join(fonts, "Roboto-Regular.ttf"),
      bold: join(fonts, "Roboto-Medium.ttf"),
      italics: join(fonts, "Roboto-Italic.ttf"),
      bolditalics: join(fonts, "Roboto-MediumItalic.ttf"),
    },
  });
  // nothing that was received leads it to a file or an address
  pdfmake.setLocalAccessPolicy((path) => path.startsWith(fonts));
  pdfmake.setUrlAccessPolicy(() => false);
  return pdfmake;
}

/** The interface’s own: ink first. */
export const INK = "#17232e";
export const DIM = "#596670";
export const LINE = "#e4ddd0";

/** A document of A4 pages. */
interface PageOf {
  readonly title: string;
  readonly subject: string;
  readonly author: string;
  /** Stands at the foot of every page. */
  readonly foot: string;
  readonly content: readonly Content[];
}

/** A4 with fonts embedded and pages numbered. */
export async function writePdf({ title, subject, author, foot, content }: PageOf): Promise<Uint8Array> {
  printer ??= makePrinter();
  const document: TDocumentDefinitions = {
    pageSize: "A4",
    pageMargins: [40, 48, 40, 48],
    info: { title, subject, creator: "Halvik", author },
    defaultStyle: { font: "Roboto", fontSize: 9, color: INK, lineHeight: 1.15 },
    footer: (page, pages) => ({
      columns: [
        { text: foot, color: DIM, fontSize: 7.5 },
        { text: `page ${page} of ${pages}`, alignment: "right", color: DIM, fontSize: 7.5 },
      ],
      margin: [40, 14, 40, 0],
    }),
    content: [...content],
  };
  return (await printer).createPdf(document).getBuffer();
}

/** What it is called, and in a few words what it is. */
export const titleOf = (title: string, about: string): Content[] => [
  { text: title, fontSize: 20, bold: true, margin: [0, 0, 0, 2] },
  ...(about === "" ? [] : [{ text: about, color: DIM, margin: [0, 0, 0, 6] } as Content]),
];

export const heading = (title: string): Content => ({
  text: title,
  fontSize: 12,
  bold: true,
  margin: [0, 14, 0, 4],
  headlineLevel: 1,
});

/** A table with a hairline under each row. */
export const LINES = {
  hLineWidth: (i: number) => (i === 0 ? 0 : 0.5),
  vLineWidth: () => 0,
  hLineColor: () => LINE,
  paddingLeft: () => 0,
  paddingRight: () => 8,
  paddingTop: () => 1.5,
  paddingBottom: () => 1.5,
};

/** Long words of what was received get places where a line may end; the font has no arrow. */
export const breakable = (text: string): string => text.replaceAll("→", "›").replace(/[^\s]{28}/gu, "$&\u200b");
