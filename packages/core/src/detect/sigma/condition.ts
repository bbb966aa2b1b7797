import { SigmaRefusal } from "./refusal.js";

/** A condition of a Sigma rule as a tree (specification 2.0.0, “Condition”). */
export type Condition =
  | { readonly is: "name"; readonly name: string }
  /** `1 of …` or `all of …`: of names that begin so, or of all. */
  | { readonly is: "of"; readonly all: boolean; readonly names: readonly string[] }
  | { readonly is: "and" | "or"; readonly items: readonly Condition[] }
  | { readonly is: "not"; readonly item: Condition };

const MOST = 2_000;
const DEPTH_MOST = 40;

/**
 * @param names the selections there are
 * @throws {SigmaRefusal} where it is no condition, names none of them, or is one of the old kind with a pipe
 */
export function readCondition(text: string, names: readonly string[]): Condition {
  if (text.length > MOST) throw new SigmaRefusal(`the condition has more than ${MOST} characters`, "condition");
  if (text.includes("|"))
    throw new SigmaRefusal(
      "aggregations after a pipe are not of the specification any more: write a correlation",
      "condition",
    );
  const tokens = text.match(/[()]|[^\s()]+/g) ?? [];
  let at = 0;
  let depth = 0;
  const word = () => tokens[at]?.toLowerCase();
  const chosen = (pattern: string): string[] => {
    const found =
      pattern === "them"
        ? // a name that begins with an underscore is left out of “them”
          names.filter((n) => !n.startsWith("_"))
        : names.filter((n) => matches(pattern, n));
    if (found.length === 0) throw new SigmaRefusal(`no selection is called “${pattern}”`, "condition");
    return found;
  };
  const either = (): Condition => joined("or", () => joined("and", single));
  const joined = (by: "and" | "or", part: () => Condition): Condition => {
    const items = [part()];
    while (word() === by) {
      at++;
      items.push(part());
    }
    return items.length === 1 ? items[0]! : { is: by, items };
  };
  const single = (): Condition => {
    const token = tokens[at++];
    if (token === undefined) throw new SigmaRefusal("the condition ends too early", "condition");
    if (++depth > DEPTH_MOST) throw new SigmaRefusal("the condition is nested too deep", "condition");
    try {
      const lower = token.toLowerCase();
      if (lower === "not") return { is: "not", item: single() };
      if (token === "(") {
        const inner = either();
        if (tokens[at++] !== ")") throw new SigmaRefusal("a bracket of the condition is never closed", "condition");
        return inner;
      }
      if (word() === "of" && /^(\d+|all|any)$/.test(lower)) {
        if (lower !== "1" && lower !== "all" && lower !== "any")
          throw new SigmaRefusal(`“${token} of” is not of the specification: 1 or all`, "condition");
        at++;
        const pattern = tokens[at++];
        if (pattern === undefined) throw new SigmaRefusal("the condition ends too early", "condition");
        return { is: "of", all: lower === "all", names: chosen(pattern) };
      }
      if (!names.includes(token)) throw new SigmaRefusal(`no selection is called “${token}”`, "condition");
      return { is: "name", name: token };
    } finally {
      depth--;
    }
  };
  const condition = either();
  if (at < tokens.length) throw new SigmaRefusal(`expected “and”, “or” or the end, got “${tokens[at]}”`, "condition");
  return condition;
}

/** Whether a name fits a pattern with stars; linear in both. */
function matches(pattern: string, name: string): boolean {
  const parts = pattern.split("*");
  if (parts.length === 1) return pattern === name;
  let from = parts[0]!.length;
  if (!name.startsWith(parts[0]!)) return false;
  for (const part of parts.slice(1, -1)) {
    const found = name.indexOf(part, from);
    if (found < 0) return false;
    from = found + part.length;
  }
  const last = parts[parts.length - 1]!;
  return name.length - last.length >= from && name.endsWith(last);
}
