import { type EpochUs, US_PER_MINUTE } from "../../base/time/index.js";

/** A record as far as a story tells of it. */
export interface RecordInWords {
  readonly id: string;
  readonly us: EpochUs;
  readonly sender: string;
  readonly kind: string;
  readonly category: string;
  readonly outcome: string;
  readonly action: string | null;
  readonly app: string | null;
  readonly src: string | null;
  readonly dst: string | null;
  readonly dstPort: number | null;
  readonly users: readonly string[];
  readonly interface: string | null;
  readonly bytes: number;
  /** What it means, in words; null: only its text says it. */
  readonly sentence: string | null;
  readonly text: string;
}

/** What somebody or something did, as far as records of one kind tell it. */
export type ActKind =
  | "logon refused"
  | "logon"
  | "connection refused"
  | "connection"
  | "traffic"
  | "link"
  | "rights refused"
  | "rights"
  | "said"
  | "measured";

export interface Act {
  readonly kind: ActKind;
  /** Who did it: an address, a person, a device. */
  readonly actor: string;
  readonly firstUs: EpochUs;
  readonly lastUs: EpochUs;
  /** Of it, in the order of time; each record is of one act. */
  readonly records: readonly RecordInWords[];
  /** How many there were, those that are not listed included. */
  readonly count: number;
  /** What its finding says, where that is a measure of many records and no list of them. */
  readonly says: string;
}

/** Evidence of one finding: what is listed, and how many there were. */
export interface StoryEvidence {
  readonly firstUs: EpochUs;
  readonly lastUs: EpochUs;
  readonly records: readonly RecordInWords[];
  readonly count: number;
  /** What it says by itself: a measure, or that nothing came. Null: its records say it. */
  readonly says: string | null;
}

/** The same after a pause is another act. */
const PAUSE_US = 30 * US_PER_MINUTE;

/** The acts that the evidence of an incident tells, in the order of time; a record that several findings hold is told once. */
export function actsOf(evidence: readonly StoryEvidence[]): Act[] {
  const listed = evidence.filter((e) => e.says === null);
  const measured = evidence.flatMap((e): Act[] =>
    e.says === null
      ? []
      : [
          {
            kind: "measured",
            actor: "",
            firstUs: e.firstUs,
            lastUs: e.lastUs,
            records: [],
            count: e.count,
            says: e.says,
          },
        ],
  );
  const all = [...new Map(listed.flatMap((e) => e.records).map((r) => [r.id, r])).values()].sort(
    (a, b) => a.us - b.us || a.id.length - b.id.length || (a.id < b.id ? -1 : 1),
  );
  const open = new Map<string, RecordInWords[]>();
  const done: RecordInWords[][] = [];
  for (const record of all) {
    const key = keyOf(record);
    const there = open.get(key);
    if (there !== undefined && record.us - there[there.length - 1]!.us <= PAUSE_US) there.push(record);
    else {
      const begun = [record];
      open.set(key, begun);
      done.push(begun);
    }
  }
  const acts = byPerson(done).map(
    ({ actor, records }): Act => ({
      kind: kindOf(records[0]!),
      actor,
      firstUs: records[0]!.us,
      lastUs: records[records.length - 1]!.us,
      records,
      count: countOf(records, listed),
      says: "",
    }),
  );
  return [...acts, ...measured].sort((a, b) => a.firstUs - b.firstUs);
}

/** From so many addresses on, refusals of one account are told of the account. */
const SEVERAL_ADDRESSES = 3;

/** Groups of records with who did it; of one account that was tried from many addresses, the account. */
function byPerson(groups: readonly RecordInWords[][]): { actor: string; records: RecordInWords[] }[] {
  const tried = new Map<string, RecordInWords[][]>();
  for (const group of groups) {
    const users = new Set(group.flatMap((r) => r.users));
    if (kindOf(group[0]!) !== "logon refused" || users.size !== 1) continue;
    const user = [...users][0]!;
    tried.set(user, [...(tried.get(user) ?? []), group]);
  }
  const told = new Set<RecordInWords[]>();
  const persons = [...tried].flatMap(([actor, own]) => {
    if (new Set(own.map((g) => g[0]!.src)).size < SEVERAL_ADDRESSES) return [];
    for (const group of own) told.add(group);
    return [{ actor, records: own.flat().sort((a, b) => a.us - b.us) }];
  });
  const others = groups.filter((g) => !told.has(g)).map((records) => ({ actor: actorOf(records[0]!), records }));
  return [...others, ...persons];
}

/** A finding that holds nothing else, and more than is listed, knows how many there were. */
function countOf(records: readonly RecordInWords[], evidence: readonly StoryEvidence[]): number {
  const own = new Set(records.map((r) => r.id));
  const whole = evidence.filter(
    (e) => e.count > e.records.length && e.records.length > 0 && e.records.every((r) => own.has(r.id)),
  );
  return Math.max(records.length, ...whole.map((e) => e.count));
}

function kindOf(r: RecordInWords): ActKind {
  const failed = r.outcome === "failure";
  if (r.kind === "firewall" && r.src !== null) return r.action === "accept" ? "connection" : "connection refused";
  if (r.kind === "flow" && r.src !== null && r.dst !== null) return "traffic";
  if (r.category === "link" && r.interface !== null && r.outcome !== "unknown") return "link";
  if (r.category === "logon" && (r.src !== null || r.users.length > 0) && r.outcome !== "unknown")
    return failed ? "logon refused" : "logon";
  if (r.category === "privilege" && r.users.length > 0 && r.outcome !== "unknown")
    return failed ? "rights refused" : "rights";
  return "said";
}

function actorOf(r: RecordInWords): string {
  switch (kindOf(r)) {
    case "link":
    case "said":
      return r.sender;
    case "rights":
    case "rights refused":
      return r.users[0]!;
    default:
      return r.src ?? r.users[0]!;
  }
}

/** What a sentence says, of whomever and however much. */
function withoutNames({ sentence, users }: RecordInWords): string {
  let text = sentence!;
  for (const user of [...users].sort((a, b) => b.length - a.length)) if (user !== "") text = text.replaceAll(user, "@");
  return text.replace(AMOUNT, "#");
}

/** A number by itself: the same sentence with another amount says the same again. Part of a name it is another name. */
export const AMOUNT = /(?<![\w.:/-])\d+(?:\.\d+)?(?![\w:/-]|\.\d)/g;

/** Records with the same key are one act. */
function keyOf(r: RecordInWords): string {
  const kind = kindOf(r);
  const more = {
    "logon refused": "",
    // who was let in as whom is an act by itself
    logon: r.users[0] ?? "",
    "connection refused": "",
    connection: "",
    traffic: r.dst ?? "",
    link: r.interface ?? "",
    "rights refused": r.sender,
    rights: r.sender,
    said: r.sentence === null ? (r.app ?? "") : withoutNames(r),
    measured: "",
  }[kind];
  return [kind, actorOf(r), more].join("\u0001");
}
