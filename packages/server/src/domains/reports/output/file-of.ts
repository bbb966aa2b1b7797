import { buffer } from "node:stream/consumers";
import type { ReportMade, RUN_FORMATS } from "@halvik/contract/reports";
import { ZipFile } from "yazl";
import { csvOf } from "./csv.js";
import { htmlOf } from "./html.js";
import { pdfOf } from "./pdf.js";

export interface ReportFile {
  readonly type: string;
  readonly ending: string;
  readonly bytes: Uint8Array;
}

/** What is asked of a thread. */
export interface FileAsked {
  readonly made: ReportMade;
  readonly format: (typeof RUN_FORMATS)[number];
  readonly part: number | null;
}

/** @param part of a CSV: which; null: all of them in a ZIP archive. @returns null where that part has no table */
export async function fileOf(
  made: ReportMade,
  format: (typeof RUN_FORMATS)[number],
  part: number | null,
): Promise<ReportFile | null> {
  const text = (type: string, ending: string, content: string) => ({ type, ending, bytes: Buffer.from(content) });
  switch (format) {
    case "pdf":
      return { type: "application/pdf", ending: ".pdf", bytes: await pdfOf(made) };
    case "html":
      return text("text/html; charset=utf-8", ".html", htmlOf(made));
    case "json":
      return text("application/json", ".json", `${JSON.stringify(made, null, 2)}\n`);
    case "csv": {
      if (part === null) return { type: "application/zip", ending: "-csv.zip", bytes: await allCsv(made) };
      const chosen = made.parts[part];
      const csv = chosen === undefined ? null : csvOf(chosen, made);
      return csv === null ? null : text("text/csv; charset=utf-8", ".csv", csv);
    }
  }
}

async function allCsv(made: ReportMade): Promise<Uint8Array> {
  const zip = new ZipFile();
  for (const [i, part] of made.parts.entries()) {
    const csv = csvOf(part, made);
    if (csv === null) continue;
    const title = "title" in part ? part.title : "part";
    zip.addBuffer(Buffer.from(csv), `${String(i + 1).padStart(2, "0")}-${inFileName(title)}.csv`);
  }
  zip.end();
  return buffer(zip.outputStream as unknown as NodeJS.ReadableStream);
}

/** A name as every file system takes it. */
export const inFileName = (name: string): string =>
  name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "") || "report";

/** What its files are called, without their endings. */
export const fileStem = ({ name, window }: ReportMade): string => `${inFileName(name)}-${window.to.slice(0, 10)}`;
