import type { Form } from "@halvik/core/decode/lines";
import { OwnFormat, WORDED } from "@halvik/core/formats";
import type { Category, Outcome } from "@halvik/core/model/record";

/** A format while somebody makes it: what is typed, which may not be a format yet. */
export interface Draft {
  readonly name: string;
  readonly filter: string;
  readonly form: Form;
  readonly names: Readonly<Record<string, string>>;
  readonly category: Category | "";
  readonly outcome: Outcome | "";
  /** "" or a digit. */
  readonly severity: string;
  readonly app: string;
  readonly event: string;
  /** `severity: WRN = warning` a line. */
  readonly words: string;
}

export const NEW_DRAFT: Draft = {
  name: "",
  filter: "",
  form: { is: "line", template: "" },
  names: {},
  category: "",
  outcome: "",
  severity: "",
  app: "",
  event: "",
  words: "",
};

export const draftOf = (f: OwnFormat): Draft => ({
  name: f.name,
  filter: f.filter,
  form: f.form,
  names: f.names,
  category: f.sets.category ?? "",
  outcome: f.sets.outcome ?? "",
  severity: String(f.sets.severity ?? ""),
  app: f.sets.app ?? "",
  event: f.sets.event ?? "",
  words: WORDED.flatMap((field) =>
    Object.entries(f.words[field] ?? {}).map(([from, to]) => `${field}: ${from} = ${to}`),
  ).join("\n"),
});

/** Reads the lines of words. @returns them, or the line that is none */
export function readWords(text: string): { words: OwnFormat["words"] } | { wrong: string } {
  const words: Record<string, Record<string, string>> = {};
  for (const line of text.split("\n")) {
    if (line.trim() === "") continue;
    const [, field, from, to] = /^\s*(\w+)\s*:\s*(.+?)\s*=\s*(.+?)\s*$/.exec(line) ?? [];
    if (field === undefined || !(WORDED as readonly string[]).includes(field)) return { wrong: line.trim() };
    words[field] = { ...words[field], [from!]: to! };
  }
  return { words };
}

/** The format that was made, or what is wrong of it. */
export function formatOf(draft: Draft, examples: readonly string[]): OwnFormat | string {
  const read = readWords(draft.words);
  if ("wrong" in read) return `“${read.wrong}”: expected one of ${WORDED.join(", ")}, then “: its word = our word”`;
  const { category, outcome, severity, app, event } = draft;
  const parsed = OwnFormat.safeParse({
    name: draft.name.trim(),
    filter: draft.filter.trim(),
    form: draft.form,
    names: draft.names,
    sets: {
      ...(category === "" ? {} : { category }),
      ...(outcome === "" ? {} : { outcome }),
      ...(severity === "" ? {} : { severity: Number(severity) }),
      ...(app.trim() === "" ? {} : { app: app.trim() }),
      ...(event.trim() === "" ? {} : { event: event.trim() }),
    },
    words: read.words,
    examples,
  });
  if (parsed.success) return parsed.data;
  return parsed.error.issues[0]!.message;
}
