/**
 * A second evaluator of the filter language, written from docs/filter-language.md and from nothing of the first: another reader of the text,
 * another idea of a word, a number, a network. What both say of a record must be the same.
 */

/** A record as the API gives it, with what it is called where it is shown. */
export type Shown = Readonly<Record<string, unknown>>;

export interface World {
  /** Groups and site by the name of a sender. */
  readonly senders: ReadonlyMap<string, { readonly groups: readonly string[]; readonly site: string | null }>;
  /** Now, in µs. */
  readonly nowUs: bigint;
  /** JavaScript's own patterns for those the filters of a test use: on text whose ASCII letters are small, and on text as it is. */
  readonly patterns: ReadonlyMap<string, { readonly folded: RegExp; readonly exact: RegExp }>;
}

type Says = (r: Shown) => boolean;
type Value = string | bigint;

const LEVELS = ["emergency", "alert", "critical", "error", "warning", "notice", "informational", "debug"];
const NAMED: Readonly<Record<string, number>> = {
  tcp: 6,
  udp: 17,
  icmp: 1,
  esp: 50,
  ssh: 22,
  https: 443,
  http: 80,
  dns: 53,
  ef: 46,
  cs3: 24,
};
const UNITS: Readonly<Record<string, number>> = {
  "": 1,
  b: 1,
  kb: 1e3,
  mb: 1e6,
  gb: 1e9,
  kib: 1024,
  mib: 1048576,
  k: 1e3,
  m: 1e6,
  g: 1e9,
};
const SPANS: Readonly<Record<string, number>> = { s: 1, min: 60, h: 3600, d: 86400 };

const small = (text: string): string => [...text].map((c) => (c >= "A" && c <= "Z" ? c.toLowerCase() : c)).join("");
const exactly = (text: string): string => text;
const get = (r: Shown, ...path: string[]): unknown =>
  path.reduce<unknown>((at, name) => (at as Shown | undefined)?.[name], r);
const some = (v: unknown): Value[] =>
  v === undefined || v === null || v === ""
    ? []
    : Array.isArray(v)
      ? v.flatMap(some)
      : typeof v === "number"
        ? [BigInt(v)]
        : [v as string];
const count = (v: unknown): Value[] => some(v).map((x) => BigInt(x));
const named = (name: string) => (r: Shown) =>
  ((r.data ?? []) as [string, string][]).filter(([n]) => n === name || n.endsWith(` ${name}`)).map(([, v]): Value => v);
export const micros = (text: string): bigint => {
  const [, whole, fraction] = /^(.*?)(?:\.(\d+))?Z$/.exec(text)!;
  return BigInt(Date.parse(`${whole}Z`)) * 1000n + BigInt((fraction ?? "").padEnd(6, "0").slice(0, 6));
};

type Sort = "folded" | "exact" | "number" | "address" | "time" | "severity" | "sender" | "choice";
const FIELDS: Readonly<Record<string, readonly [sort: Sort, values: (r: Shown) => Value[]]>> = {
  text: ["folded", (r) => some(r.text)],
  severity: ["severity", (r) => [BigInt(LEVELS.indexOf(r.severity as string))]],
  sender: ["sender", (r) => some(get(r, "sender", "name"))],
  kind: ["choice", (r) => some(r.kind)],
  host: ["folded", (r) => (r.host === undefined ? [] : [r.host as string])],
  app: ["folded", (r) => (r.app === undefined ? [] : [r.app as string])],
  process: ["exact", (r) => (r.process === undefined ? [] : [r.process as string])],
  event: ["exact", (r) => (r.event === undefined ? [] : [r.event as string])],
  facility: ["choice", (r) => some(r.facility)],
  category: ["choice", (r) => some(r.category)],
  outcome: ["choice", (r) => some(r.outcome)],
  action: ["choice", (r) => some(r.action)],
  user: ["folded", (r) => [...((r.users ?? []) as string[])]],
  src: ["address", (r) => some(r.src)],
  dst: ["address", (r) => some(r.dst)],
  address: ["address", (r) => some([r.src, r.dst, r.otherAddresses ?? []])],
  "src port": ["number", (r) => count(r.srcPort)],
  "dst port": ["number", (r) => count(r.dstPort)],
  port: ["number", (r) => [...count(r.srcPort), ...count(r.dstPort)]],
  protocol: ["number", (r) => count(r.protocol)],
  interface: ["folded", (r) => (r.interface === undefined ? [] : [r.interface as string])],
  bytes: ["number", (r) => count(r.bytes)],
  packets: ["number", (r) => count(r.packets)],
  policy: ["folded", named("policy")],
  "src zone": ["folded", named("src zone")],
  log: ["folded", named("log")],
  level: ["exact", (r) => some(r.originalSeverity)],
  ingress: ["number", (r) => count(get(r, "flow", "ingress"))],
  egress: ["number", (r) => count(get(r, "flow", "egress"))],
  dscp: ["number", (r) => count(get(r, "flow", "dscp"))],
  "tcp flags": ["number", (r) => count(get(r, "flow", "tcpFlags"))],
  "src as": ["number", (r) => count(get(r, "flow", "srcAs"))],
  application: ["folded", (r) => (r.application === undefined ? [] : [r.application as string])],
  problem: ["exact", (r) => some(get(r, "problem", "code"))],
  mark: ["choice", (r) => some(r.marks ?? [])],
  time: ["time", (r) => [micros(r.time as string)]],
  arrival: ["time", (r) => [micros(r.arrival as string)]],
};
const ALIAS: Readonly<Record<string, string>> = { message: "text", hostname: "host", ip: "address" };
const RESERVED = new Set("and or not is in within has like matches over under at between present missing".split(" "));
/** What may stand after a field: then it is one. */
const COMPARING = /^(is|in|not|within|has|like|matches|over|under|at|between|present|missing|last)$/;
const SIGN = /^(<=|>=|!=|<>|==|≤|≥|≠|=|<|>)/;

interface Piece {
  readonly kind: "word" | "quoted" | "pattern" | "mark";
  readonly text: string;
}

/** The pieces of a filter's text. */
function pieces(text: string): Piece[] {
  const out: Piece[] = [];
  let rest = text.trim();
  const take = (m: RegExpExecArray, piece: Piece) => {
    out.push(piece);
    rest = rest.slice(m[0].length).trimStart();
  };
  while (rest !== "") {
    const quoted = /^["“„«”]((?:\\["\\”]|[^"\\“”«»])*)["”“»]/u.exec(rest);
    const pattern = /^\/((?:\\[\s\S]|[^/\\])*)\//.exec(rest);
    const last = out[out.length - 1];
    const sign = SIGN.exec(rest);
    const mark = /^[(),]/.exec(rest);
    const word = /^[^\s(),"]+/.exec(rest)!;
    if (quoted) take(quoted, { kind: "quoted", text: quoted[1]!.replace(/\\(.)/g, "$1") });
    else if (pattern && small(last?.text ?? "") === "matches")
      take(pattern, { kind: "pattern", text: pattern[1]!.replaceAll("\\/", "/") });
    else if (mark) take(mark, { kind: "mark", text: mark[0] });
    else if (sign) take(sign, { kind: "mark", text: sign[0] });
    else {
      // a sign may stand close to the field before it
      const close = /^([A-Za-z]+)(?=<=|>=|!=|=|<|>)/.exec(word[0]);
      const isField = close !== null && Object.hasOwn(FIELDS, small(close[1]!));
      take(isField ? close : word, { kind: "word", text: isField ? close[1]! : word[0] });
    }
  }
  return out;
}

class Reading {
  private at = 0;
  private readonly all: Piece[];

  constructor(
    text: string,
    private readonly world: World,
  ) {
    this.all = pieces(text);
  }

  whole(): Says {
    if (this.all.length === 0) return () => true;
    const says = this.either();
    if (this.at < this.all.length) throw new Error(`left over: ${JSON.stringify(this.all.slice(this.at))}`);
    return says;
  }

  private is(word: string, ahead = 0): boolean {
    const piece = this.all[this.at + ahead];
    return piece !== undefined && piece.kind !== "quoted" && small(piece.text) === word;
  }

  private eat(word: string): boolean {
    if (!this.is(word)) return false;
    this.at++;
    return true;
  }

  private either(): Says {
    const parts = [this.both()];
    while (this.eat("or")) parts.push(this.both());
    return (r) => parts.some((p) => p(r));
  }

  private both(): Says {
    const parts = [this.opposite()];
    while (this.eat("and")) parts.push(this.opposite());
    return (r) => parts.every((p) => p(r));
  }

  private opposite(): Says {
    if (this.eat("not")) {
      const inner = this.opposite();
      return (r) => !inner(r);
    }
    if (this.eat("(")) {
      const inner = this.either();
      if (!this.eat(")")) throw new Error("no )");
      return inner;
    }
    const subject = this.subject(0);
    if (subject !== null) {
      this.at += subject.length;
      return this.comparator(subject.sort, subject.values);
    }
    const piece = this.all[this.at++]!;
    return this.looksFor(piece, FIELDS.text![1], small);
  }

  /** The field that begins here, if it is compared with something. */
  private subject(ahead: number): { length: number; sort: Sort; values: (r: Shown) => Value[] } | null {
    const word = (n: number) => {
      const p = this.all[this.at + ahead + n];
      return p === undefined || p.kind === "quoted" ? "" : small(p.text);
    };
    const compared = (n: number) => COMPARING.test(word(n)) || SIGN.test(word(n));
    if (word(0) === "data" && this.all[this.at + ahead + 1] !== undefined && compared(2))
      return { length: 2, sort: "folded", values: named(this.all[this.at + ahead + 1]!.text) };
    for (const length of [2, 1]) {
      const name = Array.from({ length }, (_, i) => word(i)).join(" ");
      const field = FIELDS[ALIAS[name] ?? name];
      if (field !== undefined && compared(length)) return { length, sort: field[0], values: field[1] };
    }
    return null;
  }

  private comparator(sort: Sort, values: (r: Shown) => Value[]): Says {
    const any =
      (test: (v: Value) => boolean): Says =>
      (r) =>
        values(r).some(test);
    const not =
      (says: Says): Says =>
      (r) =>
        !says(r);
    const present: Says = (r) => values(r).length > 0;
    const fold = sort === "folded" || sort === "sender" ? small : exactly;
    const piece = this.all[this.at]!;
    const sign = piece.kind === "mark" ? SIGN.exec(piece.text)?.[0] : undefined;
    if (sign !== undefined) {
      this.at++;
      const [low, high] = this.range(sort);
      const tests: Readonly<Record<string, Says>> = {
        "<": any((v) => (v as bigint) < low),
        "<=": any((v) => (v as bigint) <= (sort === "time" ? low : high)),
        ">": any((v) => (v as bigint) > (sort === "time" ? low : high)),
        ">=": any((v) => (v as bigint) >= low),
        "=": any((v) => (v as bigint) >= low && (v as bigint) <= high),
      };
      const plain =
        ({ "≤": "<=", "≥": ">=", "==": "=", "≠": "!=", "<>": "!=" } as Record<string, string>)[sign] ?? sign;
      return plain === "!=" ? not(tests["="]!) : tests[plain]!;
    }
    this.at++;
    switch (small(piece.text)) {
      case "present":
        return present;
      case "missing":
        return not(present);
      case "is": {
        const negated = this.eat("not");
        if (this.eat("missing")) return negated ? present : not(present);
        if (this.eat("present")) return negated ? not(present) : present;
        const one = this.oneOf(sort, values, fold);
        return negated ? not(one) : one;
      }
      case "not":
        this.at++;
        return not(this.oneOf(sort, values, fold));
      case "in":
      case "within":
        return this.oneOf(sort, values, fold);
      case "has":
        return this.looksFor(this.all[this.at++]!, values, fold);
      case "like": {
        const source = fold(this.all[this.at++]!.text)
          .replace(/[\\^$.|+()[\]{}]/g, "\\$&")
          .replaceAll("*", "[^]*")
          .replaceAll("?", "[^]");
        const pattern = new RegExp(`^${source}$`, "u");
        return any((v) => pattern.test(fold(v as string)));
      }
      case "matches": {
        const pattern = this.world.patterns.get(this.all[this.at++]!.text)!;
        return any((v) =>
          sort === "exact" ? pattern.exact.test(v as string) : pattern.folded.test(small(v as string)),
        );
      }
      case "last": {
        const since = this.world.nowUs - this.duration();
        return any((v) => (v as bigint) >= since);
      }
      case "over": {
        const [, high] = this.range(sort, true);
        return any((v) => (v as bigint) > high);
      }
      case "under": {
        const [low] = this.range(sort, true);
        return any((v) => (v as bigint) < low);
      }
      case "at": {
        const least = this.eat("least") || !this.eat("most");
        if (sort === "severity") {
          const level = this.level();
          return any((v) => (least ? (v as bigint) <= level : (v as bigint) >= level));
        }
        const [low, high] = this.range(sort, true);
        return any((v) => (least ? (v as bigint) >= low : (v as bigint) <= high));
      }
      case "between": {
        const [low] = this.range(sort, true);
        this.eat("and");
        const [, high] = this.range(sort, true);
        return any((v) => (v as bigint) >= low && (sort === "time" ? (v as bigint) < high : (v as bigint) <= high));
      }
    }
    throw new Error(`no comparator: ${piece.text}`);
  }

  private level(): bigint {
    const word = small(this.all[this.at++]!.text);
    return /^\d$/.test(word) ? BigInt(word) : BigInt(LEVELS.indexOf(word));
  }

  /** Any of a list of values. */
  private oneOf(sort: Sort, values: (r: Shown) => Value[], fold: (t: string) => string): Says {
    const within = this.is("group") ? "group" : this.is("site") ? "site" : null;
    if (sort === "sender" && within !== null) this.at++;
    const tests: ((v: Value) => boolean)[] = [];
    const open = this.eat("(");
    for (;;) {
      const wasQuoted = this.all[this.at]!.kind === "quoted";
      tests.push(this.value(sort, fold, within));
      if (this.eat(",")) continue;
      if (this.is("or") && this.goesOn(wasQuoted)) {
        this.at++;
        continue;
      }
      break;
    }
    if (open && !this.eat(")")) throw new Error("list without )");
    return (r) => values(r).some((v) => tests.some((t) => t(v)));
  }

  /** Whether what follows the "or" here is one more value. */
  private goesOn(wasQuoted: boolean): boolean {
    const next = this.all[this.at + 1];
    if (next === undefined || next.kind === "mark" || next.kind === "pattern") return false;
    if (next.kind === "quoted") return wasQuoted;
    return !RESERVED.has(small(next.text)) && this.subject(1) === null;
  }

  private value(sort: Sort, fold: (t: string) => string, within: string | null): (v: Value) => boolean {
    const { senders } = this.world;
    if (sort === "severity") {
      const level = this.level();
      return (v) => v === level;
    }
    if (sort === "number" || sort === "time") {
      const [low, high] = this.range(sort);
      return (v) => (v as bigint) >= low && (v as bigint) <= high;
    }
    let { text } = this.all[this.at++]!;
    if (sort === "choice" && small(text) === "log" && this.is("tampering")) text += ` ${this.all[this.at++]!.text}`;
    if (sort === "address") return (v) => inBlock(v as string, text);
    if (within === "group")
      return (v) => (senders.get(v as string)?.groups ?? []).some((g) => small(g) === small(text));
    if (within === "site") return (v) => small(senders.get(v as string)?.site ?? "\0") === small(text);
    const wanted = sort === "choice" ? small(text) : fold(text);
    return (v) => fold(v as string) === wanted;
  }

  /** A number, range or moment as both its ends; `exact`: a moment is its beginning alone. */
  private range(sort: Sort, exact = false): [bigint, bigint] {
    const word = this.all[this.at++]!.text;
    if (sort === "time") {
      const [, day, clock, seconds] = /^(\d{4}-\d\d-\d\d)(?:[T ](\d\d:\d\d)(:\d\d)?)?Z?$/.exec(word)!;
      const start = BigInt(Date.parse(`${day}T${clock ?? "00:00"}${seconds ?? ":00"}Z`)) * 1000n;
      const lasts = clock === undefined ? 86_400_000_000n : seconds === undefined ? 60_000_000n : 1_000_000n;
      return [start, exact ? start : start + lasts - 1n];
    }
    const ends = word.includes("..") ? word.split("..") : [word];
    let unit = "";
    if (ends.length === 1 && /^[\d.]+$/.test(word) && this.all[this.at]?.kind === "word") {
      const next = small(this.all[this.at]!.text);
      if (Object.hasOwn(UNITS, next) && next !== "") {
        unit = next;
        this.at++;
      }
    }
    // millionths, so that what is not whole lies between two that are
    const scaled = ends.map((e) => {
      if (Object.hasOwn(NAMED, small(e))) return BigInt(NAMED[small(e)]!) * 1_000_000n;
      const [, whole, fraction, own] = /^(\d+)(?:\.(\d+))?([A-Za-z]*)$/.exec(e)!;
      return BigInt(whole! + (fraction ?? "").padEnd(6, "0")) * BigInt(UNITS[unit || small(own!)]!);
    });
    const up = (n: bigint) => (n + 999_999n) / 1_000_000n;
    return [up(scaled[0]!), scaled[scaled.length - 1]! / 1_000_000n];
  }

  private duration(): bigint {
    const [, number, unit] = /^(\d+)([a-z]*)$/.exec(small(this.all[this.at++]!.text))!;
    return BigInt(number!) * BigInt(SPANS[unit || small(this.all[this.at++]!.text)]!) * 1_000_000n;
  }

  private looksFor(piece: Piece, values: (r: Shown) => Value[], fold: (t: string) => string): Says {
    const text = fold(piece.text);
    if (piece.kind === "quoted") return (r) => values(r).some((v) => fold(v as string).includes(text));
    const [, left, word, right] = /^(\*?)(.*?)(\*?)$/s.exec(text)!;
    if (left && right) return (r) => values(r).some((v) => fold(v as string).includes(word!));
    const letters = "[[\\p{L}\\p{N}\\p{Pc}\\p{Mn}\\p{Mc}]--[\\u180b-\\u180f\\ufe00-\\ufe0f\\u{e0100}-\\u{e01ef}]]";
    const isLetter = (c: string) => new RegExp(letters, "v").test(c);
    const characters = [...word!];
    const source = word!.replace(/[\\^$.*+?()[\]{}|/]/g, "\\$&");
    const before = isLetter(characters[0]!) ? `(?<!${letters})` : "";
    const after = right === "" && isLetter(characters[characters.length - 1]!) ? `(?!${letters})` : "";
    const pattern = new RegExp(before + source + after, "v");
    return (r) => values(r).some((v) => pattern.test(fold(v as string)));
  }
}

/** Whether an address lies in a block, bit by bit. */
function inBlock(address: string, block: string): boolean {
  const [first, mask] = block.split("/");
  const [a, b] = [bits(address), bits(first!)];
  const length = mask === undefined ? b.length : Number(mask);
  return a.length === b.length && a.slice(0, length) === b.slice(0, length);
}

function bits(address: string): string {
  const binary = (n: number, width: number) => n.toString(2).padStart(width, "0");
  if (!address.includes(":"))
    return address
      .split(".")
      .map((o) => binary(Number(o), 8))
      .join("");
  const [head, tail] = address.split("::") as [string, string?];
  const groups = (part: string | undefined) => (part ? part.split(":") : []);
  const [h, t] = [groups(head), groups(tail)];
  const zeros = Array.from({ length: 8 - h.length - t.length }, () => "0");
  return [...h, ...zeros, ...t].map((g) => binary(Number.parseInt(g, 16), 16)).join("");
}

/** What a filter says of a record. */
export const recount = (filter: string, world: World): Says => new Reading(filter, world).whole();
