import { canonicalAddress } from "../base/net/index.js";
import { splitRow } from "../base/text/index.js";
import { type Form, isOfType, isRead, readerOf, readJson, readPairs, type ValueType } from "../decode/lines/index.js";
import { FIELD_TARGETS } from "./assign.js";

/** A form that fits the lines given, the most telling first. */
export interface Proposal {
  readonly form: Form;
  /** Names that most programs use, as the fields they are. */
  readonly names: Readonly<Record<string, string>>;
}

const MOST_LINES = 50;
const SEPARATORS = [",", ";", "|", "\t"] as const;
/** What keys of pairs and JSON mostly mean (common practice, no source). */
const USUAL: Readonly<Record<string, string>> = {
  action: "action",
  app: "app",
  bytes: "bytes",
  dst: "dst",
  dstip: "dst",
  dst_ip: "dst",
  dport: "dst port",
  dstport: "dst port",
  host: "host",
  hostname: "host",
  iface: "interface",
  interface: "interface",
  level: "severity",
  lvl: "severity",
  proto: "protocol",
  protocol: "protocol",
  severity: "severity",
  sport: "src port",
  src: "src",
  srcip: "src",
  src_ip: "src",
  srcport: "src port",
  user: "user",
  username: "user",
};

/** What the lines of a program may be, the most telling first. Only forms that fit all of them, or three of four, are proposed. */
export function proposeForms(given: readonly string[]): Proposal[] {
  const lines = given.filter((l) => l.trim() !== "").slice(0, MOST_LINES);
  if (lines.length === 0) return [];
  const proposals: Proposal[] = [];
  const most = (count: number) => count * 4 >= lines.length * 3;

  const objects = lines.flatMap((l) => (readJson(l) === null ? [] : [readJson(l)!]));
  if (most(objects.length))
    proposals.push({ form: { is: "json" }, names: usualNames(objects.flat().map((v) => v.name)) });

  for (const between of [" ", ...SEPARATORS] as const)
    for (const equals of ["=", ":"] as const) {
      const read = lines.map((l) => readPairs(l, between, equals));
      const isTold = (pairs: (typeof read)[number], i: number) =>
        pairs.length >= 3 &&
        pairs.reduce((sum, p) => sum + p.name.length + p.text.length + 2, 0) >= lines[i]!.length * 0.7;
      if (!most(read.filter(isTold).length)) continue;
      // of several the one that finds most
      const found = read.reduce((sum, pairs) => sum + pairs.length, 0);
      const at = proposals.findIndex((p) => p.form.is === "pairs");
      const proposal: Proposal = {
        form: { is: "pairs", between, equals },
        names: usualNames(read.flat().map((p) => p.name)),
      };
      if (at < 0) proposals.push(proposal);
      else if (found > foundBy(proposals[at]!.form, lines)) proposals[at] = proposal;
    }

  for (const by of SEPARATORS) {
    const rows =
      lines.flatMap((l) => splitRow(l.trimEnd(), by) ?? []).length === 0
        ? []
        : lines.map((l) => splitRow(l.trimEnd(), by));
    const count = rows[0]?.length ?? 0;
    if (count < 4 || !most(rows.filter((r) => r?.length === count).length)) continue;
    const columns = Array.from({ length: count }, (_, i) =>
      rows.flatMap((r) => (r?.length === count ? [r[i]!.trim()] : [])),
    );
    proposals.push({ form: { is: "columns", by, names: columns.map(columnName) }, names: {} });
  }

  // what is told whole by its names needs no other
  if (proposals.length === 0)
    for (const nested of ["json", "pairs"] as const) {
      const proposal = nestedForm(lines, nested);
      if (proposal !== null && most(fitting(proposal, lines))) proposals.push(proposal);
    }
  const line: Proposal = { form: { is: "line", template: commonTemplate(lines) }, names: {} };
  for (const proposal of [line, positionsForm(lines)])
    if (proposal !== null && most(fitting(proposal, lines))) proposals.push(proposal);
  // something to begin with
  return proposals.length > 0 ? proposals : [line];
}

/** How many of the lines a form reads. */
function fitting(proposal: Proposal, lines: readonly string[]): number {
  try {
    const { read } = readerOf(proposal);
    return lines.filter((l) => isRead(read(l))).length;
  } catch {
    // what stands between two values may be nothing: then it is no form
    return 0;
  }
}

/** Where what brings its own names begins in a line, behind something else; null: nowhere. */
const NESTED = {
  json: (line: string): number | null => {
    const at = line.indexOf("{");
    return at > 0 && readJson(line.slice(at)) !== null ? at : null;
  },
  pairs: (line: string): number | null => {
    const at = line.search(/(?<=\s)[A-Za-z][\w.-]{0,60}=/);
    return at > 0 && readPairs(line.slice(at), " ", "=").length >= 2 ? at : null;
  },
} as const;

/** A line behind whose beginning pairs or JSON stand, which are read on. */
function nestedForm(lines: readonly string[], nested: keyof typeof NESTED): Proposal | null {
  const cut = lines.flatMap((l) => {
    const at = NESTED[nested](l);
    return at === null ? [] : [{ head: l.slice(0, at), rest: l.slice(at) }];
  });
  if (cut.length === 0) return null;
  const heads = cut.map((c) => c.head);
  const head = new Set(heads).size === 1 ? escaped(heads[0]!) : commonTemplate(heads, "");
  const blank = /\s*$/.exec(heads[0]!)![0];
  const template = `${head.trimEnd()}${blank}{values:${nested}}`;
  const keys = cut.flatMap((c) =>
    (nested === "json" ? (readJson(c.rest) ?? []) : readPairs(c.rest, " ", "=")).map((v) => v.name),
  );
  return { form: { is: "line", template }, names: usualNames(keys) };
}

const escaped = (text: string): string => text.replace(/[{}]/g, "$&$&");

/** Least lines, and widest of them, that are looked at for columns. */
const LEAST_ALIGNED = 3;
const WIDEST = 500;

/** Columns at places of the line: where in every line a blank stands, and behind it something in every line. */
function positionsForm(lines: readonly string[]): Proposal | null {
  const rows = lines.map((l) => l.trimEnd().slice(0, WIDEST));
  if (rows.length < LEAST_ALIGNED) return null;
  const isBlank = (at: number): boolean => rows.every((r) => at >= r.length || r[at] === " ");
  const widest = Math.max(...rows.map((r) => r.length));
  const starts = Array.from({ length: widest }, (_, at) => at).filter(
    (at) => (at === 0 || isBlank(at - 1)) && !isBlank(at) && rows.every((r) => r.length > at && r[at] !== " "),
  );
  // words that stand one under the other by their length alone are no columns: some are filled up with blanks
  const isFilled = starts.some((from, i) => i > 0 && rows.some((r) => r[from - 2] === " "));
  if (starts.length < 3 || !isFilled) return null;
  const columns = starts.map((from, i) => {
    const to = starts[i + 1];
    const values = rows.map((r) => r.slice(from, to).trim());
    return { from, ...(to === undefined ? {} : { to }), name: columnName(values, i) };
  });
  return { form: { is: "positions", columns }, names: {} };
}

function foundBy(form: Form, lines: readonly string[]): number {
  if (form.is !== "pairs") return 0;
  return lines.reduce((sum, l) => sum + readPairs(l, form.between, form.equals).length, 0);
}

function usualNames(names: readonly string[]): Record<string, string> {
  const out: Record<string, string> = {};
  for (const name of new Set(names)) {
    const usual = Object.hasOwn(USUAL, name.toLowerCase()) ? USUAL[name.toLowerCase()]! : null;
    if (usual !== null && !Object.values(out).includes(usual)) out[name] = usual;
  }
  return out;
}

/** What all values of a place are; null: nothing in common but text. */
function commonType(values: readonly string[]): ValueType | null {
  const present = values.filter((v) => v !== "" && v !== "-");
  if (present.length === 0) return null;
  for (const type of ["mac", "address", "number"] as const) if (present.every((v) => isOfType(type, v))) return type;
  return null;
}

/** A column is called by its type and place until somebody says what it is. */
function columnName(values: readonly string[], i: number): string {
  const type = commonType(values);
  return type === null ? `column ${i + 1}` : `column ${i + 1}:${type}`;
}

/** Words, and what stands between them. */
const pieces = (line: string): string[] => line.trimEnd().match(/[A-Za-z0-9_.:/@-]+|[^A-Za-z0-9_.:/@-]+/g) ?? [];
const isWord = (piece: string): boolean => /[A-Za-z0-9]/.test(piece);

/**
 * The line that all have in common, with values where they differ. Lines of other lengths are left to be seen as not fitting; one line alone shows its
 * numbers and addresses as values.
 */
function commonTemplate(lines: readonly string[], otherwise = "{rest}"): string {
  const cut = lines.map(pieces);
  const first = cut[0]!;
  const alike = cut.filter((p) => p.length === first.length);
  let out = "";
  const names = new Set<string>();
  for (const [i, piece] of first.entries()) {
    const there = alike.map((p) => p[i]!);
    const type = commonType(there.map(bare));
    const isValue =
      isWord(piece) &&
      (isOfADate(first, i) ||
        (alike.length > 1 ? there.some((t) => t !== piece) : type !== null || canonicalAddress(bare(piece)) !== null));
    if (!isValue) {
      out += piece.replace(/[{}]/g, "$&$&");
      continue;
    }
    const tail = piece.slice(bare(piece).length);
    const usual = usualName(first, i, type);
    const name =
      usual !== null && !names.has(usual) ? usual : `value ${names.size + 1}${type === null ? ":word" : `:${type}`}`;
    names.add(name);
    out += `{${name}}${tail}`;
  }
  return names.size === 0 ? `${out.trimEnd()}${otherwise}` : out;
}

const DATE = /^\d{4}[-/.]\d\d?[-/.]\d\d?|^\d\d?[-/.]\d\d?[-/.]\d{4}$|^\d\d?:\d\d(?::\d\d|$)/;
const MONTH = /^(?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)$/;

/** Whether a word is a date or a time, or part of one: lines of one day have it in common, and tomorrow's do not. */
function isOfADate(pieces: readonly string[], at: number): boolean {
  const isDay = (i: number): boolean => /^\d\d?$/.test(pieces[i] ?? "");
  const isMonth = (i: number): boolean => MONTH.test(pieces[i] ?? "");
  return DATE.test(pieces[at]!) || (isMonth(at) && isDay(at + 2)) || (isDay(at) && isMonth(at - 2));
}

/** Without the colon or full stop that ends a part of a sentence. */
const bare = (piece: string): string => piece.replace(/[.:]$/, "");

/** What the word before it says it is, where that is a name people use. */
function usualName(all: readonly string[], at: number, type: ValueType | null): string | null {
  const before = all
    .slice(0, at)
    .filter(isWord)
    .at(-1)
    ?.toLowerCase()
    .replace(/[^a-z]/g, "");
  if (before === "from" && type === "address") return "src";
  if (before === "to" && type === "address") return "dst";
  return before !== undefined && FIELD_TARGETS.includes(before) ? before : null;
}
