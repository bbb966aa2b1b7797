import { type PartMade, ReportMade } from "@halvik/contract/reports";
import { sayOwn, sayValue, type Unit } from "@halvik/core/report";
import { type MailText, plainMessage } from "@halvik/core/respond/notify";
import type { Queryable } from "../../kernel/db/pool.js";
import { fileStem } from "../reports/output/file-of.js";
import { headOf, lackingOf } from "../reports/output/honesty.js";
import { htmlOf } from "../reports/output/html.js";
import { pdfOf } from "../reports/output/pdf.js";
import { reportOfRun } from "./repository.js";

/** A longer table is for who takes it away: setting it would hold up what tells of incidents. */
const MOST_ROWS = 100;
/** Rows of a part that stand in the words of a mail; the rest is in its HTML and its file. */
const ROWS_IN_WORDS = 5;

/** A report as a mail: its figures in the text, all of it as HTML, the PDF as a file. Null: it is gone. */
export async function reportText(db: Queryable, run: number, baseUrl: string): Promise<MailText | null> {
  const found = await reportOfRun(db, run);
  if (found === null) return null;
  const made = ReportMade.parse(found.body);
  const plain = plainMessage(`Halvik · ${made.name}`, "");
  const mailed = { ...made, parts: made.parts.map(thatGoes) };
  return {
    ...plain,
    text: [...wordsOf(made), "", `${baseUrl}/reports/${found.report}`].join("\n"),
    html: htmlOf(mailed),
    files: [{ name: `${fileStem(made)}.pdf`, type: "application/pdf", bytes: await pdfOf(mailed) }],
  };
}

/** A part as it is mailed. */
function thatGoes(part: PartMade): PartMade {
  const rows = part.is === "measured" && part.as !== "hours of the week" ? part.measured.rows.length : 0;
  return rows <= MOST_ROWS
    ? part
    : { is: "text", markdown: `${"title" in part ? part.title : ""}: ${rows} rows, more than go by mail` };
}

function wordsOf(made: ReportMade): string[] {
  const lines = [made.name, ...headOf(made).map(([name, value]) => `${name}: ${value}`), ...lackingOf(made)];
  for (const part of made.parts) {
    if (part.is === "own figures") {
      lines.push("", part.title, ...part.figures.map((f) => `  ${f.name}: ${sayOwn(f.value, f.unit)}`));
    } else if (part.is === "measured" && part.as !== "hours of the week") {
      const { measured: m } = part;
      lines.push("", `${part.title}: ${sayValue(m.total.value, m.unit as Unit)}`);
      for (const r of m.rows.slice(0, ROWS_IN_WORDS))
        lines.push(`  ${r.labels.join(", ")}: ${sayValue(r.value, m.unit as Unit)}`);
    } else if (part.is === "incidents") {
      lines.push("", part.title, ...part.incidents.slice(0, ROWS_IN_WORDS).map((i) => `  ${i.severity}: ${i.title}`));
    }
  }
  // nothing that was received makes a line of its own
  return lines.map((l) => l.replace(/\p{Cc}/gu, " "));
}
