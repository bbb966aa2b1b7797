import type { Rule } from "@halvik/core/detect";
import { readSigma, type SigmaOutcome, writeSigma } from "@halvik/core/detect/sigma";
import { parseAllDocuments, stringify } from "yaml";
import { AppError } from "../../kernel/http/errors.js";

const DOCUMENTS_MOST = 500;
/** No anchors that grow a small file into a large one. */
const MAX_ALIASES = 20;

/**
 * The rules of a file of Sigma, each by itself. @param sources filters of log sources that a person has said, by how those are written
 * @throws {AppError} where it is no file of YAML at all, or holds too many
 */
export function sigmaFile(text: string, sources: ReadonlyMap<string, string>): SigmaOutcome[] {
  const documents = parseAllDocuments(text);
  if (!Array.isArray(documents)) throw new AppError("BAD_REQUEST", "the file is empty");
  if (documents.length > DOCUMENTS_MOST)
    throw new AppError("BAD_REQUEST", `expected ${DOCUMENTS_MOST} rules in a file at most, got ${documents.length}`);
  const values = documents.flatMap((d): unknown[] => {
    if (d.errors.length > 0)
      throw new AppError("BAD_REQUEST", `the file is no YAML: ${d.errors[0]!.message.split("\n")[0]}`);
    try {
      const value: unknown = d.toJS({ maxAliasCount: MAX_ALIASES });
      return value === null ? [] : [value];
    } catch (e) {
      throw new AppError("BAD_REQUEST", `the file cannot be read: ${(e as Error).message}`);
    }
  });
  return readSigma(values, sources);
}

/** A rule as a file of Sigma; or why it cannot be one. */
export function asSigma(rule: Rule): { readonly text: string } | { readonly why: string } {
  const written = writeSigma(rule);
  if ("why" in written) return written;
  return { text: written.documents.map((d) => stringify(d, { lineWidth: 100 })).join("---\n") };
}
