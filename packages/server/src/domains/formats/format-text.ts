import { FormatError } from "@halvik/core/decode/lines";
import { OwnFormat } from "@halvik/core/formats";
import { parseAllDocuments, stringify } from "yaml";

/** Formats as YAML, one document each; what says nothing is left out. */
export const formatsText = (formats: readonly OwnFormat[]): string =>
  formats
    .map((f) => {
      const said = Object.entries(f).filter(
        ([, value]) => value !== "" && !(typeof value === "object" && Object.keys(value).length === 0),
      );
      return stringify(Object.fromEntries(said), { lineWidth: 0 });
    })
    .join("---\n");

/** Reads formats from YAML. @throws {FormatError} naming the document that cannot be read */
export function readFormatsText(text: string): OwnFormat[] {
  return [...parseAllDocuments(text)].map((document, i) => {
    const wrong = document.errors[0];
    if (wrong) throw new FormatError(`format ${i + 1}: ${wrong.message}`);
    const read = OwnFormat.safeParse(document.toJS({ maxAliasCount: 0 }));
    if (read.success) return read.data;
    const issue = read.error.issues[0]!;
    throw new FormatError(`format ${i + 1}, ${issue.path.join(".") || "as a whole"}: ${issue.message}`);
  });
}
