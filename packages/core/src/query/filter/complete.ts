import { SEVERITIES } from "../../model/record/index.js";
import type { SenderDirectory } from "../../model/senders/index.js";
import { SENDER_TRAITS } from "../../model/senders/index.js";
import { SAME_FIELDS } from "./ast.js";
import { comparatorsOf } from "./comparators.js";
import { quoteIfNeeded } from "./values.js";
import { type FilterField, RECORDS, type Vocabulary } from "./vocabulary.js";

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
  /** What of the store may stand here, where it is not known beforehand. */
  readonly valuesOf: ValuesAsked | null;
}

/** Values of a field; of `data` those of one name, without it the names there are. */
export interface ValuesAsked {
  readonly field: string;
  readonly name?: string;
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
  vocabulary: Vocabulary = RECORDS,
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
  const found = optionsAfter(words, directory, allowsAfter, vocabulary);
  const options = found.options.filter(
    (o) =>
      o.text.toLowerCase().startsWith(partial.toLowerCase()) ||
      o.text.toLowerCase().startsWith(`"${partial.toLowerCase()}`),
  );
  return { from, options, valuesOf: found.valuesOf };
}

type Found = Pick<Completions, "options" | "valuesOf">;
const known = (options: readonly Completion[]): Found => ({ options, valuesOf: null });

const isJoiner = (w: string | undefined) => w === undefined || w === "and" || w === "or" || w === "not" || w === "(";

function optionsAfter(
  words: readonly string[],
  directory: SenderDirectory,
  allowsAfter: boolean,
  vocabulary: Vocabulary,
): Found {
  const last = words[words.length - 1];
  const ofData = vocabulary.hasData ? dataOptions(words) : null;
  if (ofData !== null) return ofData;
  if (isJoiner(last) && !(last === "not" && fieldEndingAt(words, words.length - 2, vocabulary)))
    return known(allowsAfter ? [...fieldOptions(vocabulary), ...AFTER_OPTIONS] : fieldOptions(vocabulary));
  for (let i = words.length - 1; i >= 0 && i >= words.length - 12; i--) {
    const field = fieldEndingAt(words, i, vocabulary);
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
    if (done && done !== "present" && done !== "missing" && done !== "new") return valueOptions(field, said, directory);
    if (
      last === "," ||
      said === "in group" ||
      said === "in site" ||
      said === "not in group" ||
      said === "not in site" ||
      said === "in list" ||
      said === "not in list"
    )
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

function fieldEndingAt(words: readonly string[], index: number, { named }: Vocabulary): FilterField | undefined {
  if (index < 0) return undefined;
  const two = index > 0 ? named(`${words[index - 1]} ${words[index]}`) : undefined;
  return two ?? named(words[index]!);
}

function fieldOptions({ fields, hasData }: Vocabulary): readonly Completion[] {
  const data = { text: "data", about: "a named value beyond the common fields", type: "field" as const };
  return [
    ...fields.map((f) => ({ text: f.name, about: f.about, type: "field" as const })),
    ...(hasData ? [data] : []),
    { text: "not", about: "the opposite", type: "joiner" },
  ];
}

const AFTER_OPTIONS: readonly Completion[] = SAME_FIELDS.map((f) => ({
  text: `same ${f} within 10 min after`,
  about: `what came after something with the same ${f}`,
  type: "joiner",
}));

/** Names of lists always stand in quotes. */
const quoted = (c: Completion): Completion => (c.text.startsWith('"') ? c : { ...c, text: `"${c.text}"` });

function valueOptions(field: FilterField, said: string, directory: SenderDirectory): Found {
  const values = (texts: readonly string[], about: string): readonly Completion[] =>
    texts.map((t) => ({ text: quoteIfNeeded(t), about, type: "value" as const }));
  if (field.type === "sender") {
    const trait = SENDER_TRAITS.find((t) => said.endsWith(` ${t}`));
    if (trait !== undefined) return known(values(directory.traitNames(trait), trait));
    const scopes: readonly Completion[] =
      said === "in" || said === "not in"
        ? SENDER_TRAITS.map((text) => ({ text, about: `senders by their ${text}`, type: "value" as const }))
        : [];
    return known([
      ...scopes,
      ...values(
        directory.senders.map((s) => s.name),
        "sender",
      ),
    ]);
  }
  const lists = said === "in" || said === "not in" ? directory.lists.names() : [];
  if (said.endsWith("in list")) return known(values(directory.lists.names(), "list").map(quoted));
  if (lists.length > 0 && !field.choices && field.type !== "number" && field.type !== "port" && field.type !== "shape")
    return { options: [{ text: "list", about: "values of a list", type: "value" }], valuesOf: { field: field.name } };
  if (field.type === "severity") return known(values(SEVERITIES, "severity"));
  if (field.choices) return known(values(field.choices, field.name));
  return { options: [], valuesOf: { field: field.name } };
}

/** What follows `data`: a name, its comparators, its values; null: none of the words begin there. */
function dataOptions(words: readonly string[]): Found | null {
  const at = words.lastIndexOf("data");
  if (at < 0 || !isJoiner(words[at - 1])) return null;
  const [name, ...rest] = words.slice(at + 1);
  if (name === undefined) return { options: [], valuesOf: { field: "data" } };
  if (rest.some((w) => w === "and" || w === "or")) return null;
  const said = rest.join(" ");
  const comparators = comparatorsOf("data");
  const text = name.startsWith('"') ? name.slice(1, -1).replace(/\\(["\\])/g, "$1") : name;
  const values = { options: [], valuesOf: { field: "data", name: text } };
  if (rest.length === 0)
    return known(comparators.map((c) => ({ text: c, about: `${text} ${c} …`, type: "comparator" as const })));
  if (said === "is")
    return { ...values, options: [{ text: "not", about: `${text} is not …`, type: "comparator" as const }] };
  if (rest[rest.length - 1] === "," || comparators.some((c) => c === said && c !== "present" && c !== "missing"))
    return values;
  const opened = comparators.filter((c) => c.startsWith(`${said} `));
  if (opened.length === 0) return null;
  return known(
    opened.map((c) => ({ text: c.slice(said.length + 1), about: `${text} ${c} …`, type: "comparator" as const })),
  );
}
