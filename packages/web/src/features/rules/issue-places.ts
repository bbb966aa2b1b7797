import type { RuleCheck } from "@halvik/contract/rules";
import { isScalar, parseDocument } from "yaml";

/** A mistake with its place in the file, in UTF-16 units. */
export interface IssuePlace {
  readonly from: number;
  readonly to: number;
  readonly message: string;
}

/** Where in a rule's file its mistakes are: by the path of the value, or by line and column where it is no YAML; else its first line. */
export function placesOf(text: string, issues: RuleCheck["issues"]): IssuePlace[] {
  const document = parseDocument(text);
  return issues.map(({ path, message }) => {
    const line = /^line (\d+), column (\d+): /.exec(message);
    if (line !== null) {
      const start = offsetOf(text, Number(line[1]), Number(line[2]));
      return { from: start, to: endOfLine(text, start), message };
    }
    // what is missing is shown at what should hold it
    for (let steps = path === "" ? [] : path.split("."); steps.length > 0; steps = steps.slice(0, -1)) {
      const node = document.getIn(
        steps.map((s) => (/^\d+$/.test(s) ? Number(s) : s)),
        true,
      ) as { range?: readonly number[] } | undefined;
      if (node?.range === undefined) continue;
      const [from = 0, to = 0] = node.range;
      // within a filter the column of the mistake is known
      const column = isScalar(node) && node.type === "PLAIN" ? Number(/^column (\d+): /.exec(message)?.[1] ?? 1) : 1;
      const begins = Math.min(from + column - 1, Math.max(from, to - 1));
      return { from: begins, to, message };
    }
    return { from: 0, to: endOfLine(text, 0), message };
  });
}

function offsetOf(text: string, line: number, column: number): number {
  const before = text.split("\n").slice(0, line - 1);
  return before.reduce((sum, l) => sum + l.length + 1, 0) + column - 1;
}

function endOfLine(text: string, from: number): number {
  const end = text.indexOf("\n", from);
  return end < 0 ? text.length : end;
}
