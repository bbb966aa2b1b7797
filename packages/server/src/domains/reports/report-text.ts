import { ReportDefinition } from "@halvik/core/report";
import { parseDocument, stringify } from "yaml";
import { AppError } from "../../kernel/http/errors.js";

/** A report as YAML, so that it can be kept beside other files and read elsewhere. */
export const writeReportText = (report: ReportDefinition): string => stringify(report, { lineWidth: 0 });

/** @throws {AppError} naming the place that cannot be read */
export function readReportText(text: string): ReportDefinition {
  const document = parseDocument(text);
  const wrong = document.errors[0];
  if (wrong) throw new AppError("BAD_REQUEST", wrong.message, { field: "text" });
  const read = ReportDefinition.safeParse(document.toJS({ maxAliasCount: 0 }));
  if (read.success) return read.data;
  const issue = read.error.issues[0]!;
  throw new AppError("BAD_REQUEST", `${issue.path.join(".") || "as a whole"}: ${issue.message}`, { field: "text" });
}
