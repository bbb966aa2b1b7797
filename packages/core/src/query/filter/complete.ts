import { FIELDS, type Field, fieldNamed, SEVERITIES } from "../../model/record/index.js";
import type { SenderDirectory } from "../../model/senders/index.js";
import { SAME_FIELDS } from "./ast.js";
import { comparatorsOf } from "./parser.js";
import { quoteIfNeeded } from "./values.js";

/** One way to go on from the cursor. */
export interface Completion {
  readonly text: string;
  readonly about: string;
  readonly type: "field" | "comparator" | "value" | "joiner";
}

export interface Completions {
  /** Where the text that a choice replaces begins. */
  readonly from: number;
  readonly options: readonly Completion[];
  /** The field whose values in the store may stand here, where they are not known beforehand. */
  readonly valuesOf: string | null;
}

const JOINERS: readonly Completion[] = [
  { text: "and", about: "both must hold", type: "joiner" },
  { text: "or", about: "either may hold", type: "joiner" },
];

/** What may stand at the cursor: fields, then the field's comparators, then its values, then and/or. */
export function completeFilter(
  source: string,
  cursor: number,
  directory: SenderDirectory,
  savedNames: readonly string[] = [],
  allowsAfter = false,
): Completions {
  const before = source.slice(0, cursor);
  const partial = /[^\s(),"]*$/.exec(before)![0];
  const from = cursor - partial.length;
  const words = before.slice(0, from).match(/"(?:[^"\\]|\\.)*"?|[^\s(),]+|[(),]/g) ?? [];
  // inside an open quote nothing is offered
  if ((words[words.length - 1] ?? "").startsWith('"') && !/^"(?:[^"\\]|\\.)*"$/.test(words[words.length - 1]!))
    return { from, options: [], valuesOf: null };
  if (words[words.length - 1] === "filter" && savedNames.length > 0)
    return {
      from,
      options: savedNames.map((n) => ({ text: `"${n}"`, about: "saved filter", type: "value" as const })),
      valuesOf: null,
    };
  const found = optionsAfter(words, directory, allowsAfter);
  const options = found.options.filter(
    (o) =>
      o.text.toLowerCase().startsWith(partial.toLowerCase()) ||
      o.text.toLowerCase().startsWith(`"${partial.toLowerCase()}`),
  );
  return { from, options, valuesOf: found.valuesOf };
}

interface Found {
  readonly options: readonly Completion[];
  readonly valuesOf: string | null;
}
const known = (options: readonly Completion[]): Found => ({ options, valuesOf: null });

const isJoiner = (w: string | undefined) => w === undefined || w === "and" || w === "or" || w === "not" || w === "(";

function optionsAfter(words: readonly string[], directory: SenderDirectory, allowsAfter: boolean): Found {
  const last = words[words.length - 1];
  if (isJoiner(last) && !(last === "not" && fieldBefore(words, words.length - 1)))
    return known(allowsAfter ? [...fieldOptions(), ...AFTER_OPTIONS] : fieldOptions());
  for (let i = words.length - 1; i >= 0 && i >= words.length - 12; i--) {
    const field = fieldEndingAt(words, i);
    if (field === undefined) continue;
    const rest = words.slice(i + 1);
    if (rest.some((w) => w === "and" || w === "or")) break;
    const said = rest.join(" ");
    const comparators = comparatorsOf(field);
    if (rest.length === 0)
      return known(comparators.map((c) => ({ text: c, about: `${field.name} ${c} …`, type: "comparator" as const })));
    const done = comparators.find((c) => said === c);
    if (said === "is") {
      const values = valueOptions(field, said, directory);
      const not = { text: "not", about: `${field.name} is not …`, type: "comparator" as const };
      return { ...values, options: [not, ...values.options] };
    }
    if (done && done !== "present" && done !== "missing") return valueOptions(field, said, directory);
    if (last === "," || said === "in group" || said === "in site" || said === "not in group" || said === "not in site")
      return valueOptions(field, said, directory);
    const opened = comparators.filter((c) => c.startsWith(`${said} `));
    if (opened.length > 0)
      return known(
        opened.map((c) => ({
          text: c.slice(said.length + 1),
          about: `${field.name} ${c} …`,
          type: "comparator" as const,
        })),
      );
    break;
  }
  return known(JOINERS);
}

function fieldBefore(words: readonly string[], index: number): boolean {
  return index > 0 && fieldEndingAt(words, index - 1) !== undefined;
}

function fieldEndingAt(words: readonly string[], index: number): Field | undefined {
  const two = index > 0 ? fieldNamed(`${words[index - 1]} ${words[index]}`) : undefined;
  return two ?? fieldNamed(words[index]!);
}

function fieldOptions(): readonly Completion[] {
  return [
    ...FIELDS.map((f) => ({ text: f.name, about: f.about, type: "field" as const })),
    { text: "data", about: "a named value beyond the common fields", type: "field" },
    { text: "not", about: "the opposite", type: "joiner" },
  ];
}

const AFTER_OPTIONS: readonly Completion[] = SAME_FIELDS.map((f) => ({
  text: `same ${f} within 10 min after`,
  about: `what came after something with the same ${f}`,
  type: "joiner",
}));

function valueOptions(field: Field, said: string, directory: SenderDirectory): Found {
  const values = (texts: readonly string[], about: string): readonly Completion[] =>
    texts.map((t) => ({ text: quoteIfNeeded(t), about, type: "value" as const }));
  if (field.type === "sender") {
    if (said.endsWith("group")) return known(values(directory.groupNames(), "group"));
    if (said.endsWith("site")) return known(values(directory.siteNames(), "site"));
    const scopes: readonly Completion[] =
      said === "in" || said === "not in"
        ? [
            { text: "group", about: "senders of a group", type: "value" },
            { text: "site", about: "senders at a site", type: "value" },
          ]
        : [];
    return known([
      ...scopes,
      ...values(
        directory.senders.map((s) => s.name),
        "sender",
      ),
    ]);
  }
  if (field.type === "severity") return known(values(SEVERITIES, "severity"));
  if (field.choices) return known(values(field.choices, field.name));
  return { options: [], valuesOf: field.name };
}
