import type { IncidentDetail } from "@halvik/contract/incidents";
import { usOf } from "../../data/view-store";

type Told = IncidentDetail["findings"][number]["evidence"][number];
/** A thing of an incident with a lane of its own. */
export interface Lane {
  readonly field: string;
  readonly value: string;
}
/** Somebody does something to something, as often as records close together say so. */
export interface Arrow {
  readonly from: number;
  readonly to: number;
  readonly fromUs: number;
  readonly toUs: number;
  readonly count: number;
  readonly worked: boolean;
}

/** Fields that are somebody or something one can act on; ports and processes are how. */
const THINGS = ["src", "user", "sender", "host", "dst", "address", "interface"];
const LANES_MOST = 6;

/** Records of all findings, each once, the oldest first. */
export const evidenceOf = ({ findings }: Pick<IncidentDetail, "findings">): Told[] =>
  [...new Map(findings.flatMap((f) => f.evidence).map((r) => [r.id, r])).values()].sort(
    (a, b) => usOf(a.time) - usOf(b.time),
  );

export const names = (r: Told, value: string): boolean =>
  r.sender.name === value ||
  r.src === value ||
  r.dst === value ||
  r.interface === value ||
  r.host === value ||
  (r.users ?? []).includes(value) ||
  (r.otherAddresses ?? []).includes(value);

/** The things that tell most: those with most sorts of records, then with most records. In the order in which they come. */
export function lanesOf(detail: Pick<IncidentDetail, "incident" | "findings">): Lane[] {
  const records = evidenceOf(detail);
  const all = detail.incident.entities.filter(
    (e, i, list) => THINGS.includes(e.field) && list.findIndex((o) => o.value === e.value) === i,
  );
  const told = all.map((lane) => {
    const own = records.filter((r) => names(r, lane.value));
    // who only was tried has one sort of record; who takes part has several
    const sorts = new Set(own.map((r) => `${r.category} ${r.outcome}`)).size;
    return {
      lane,
      sorts,
      records: own.length,
      first: own.length === 0 ? Number.POSITIVE_INFINITY : usOf(own[0]!.time),
    };
  });
  return told
    .filter((t) => t.records > 0)
    .sort((a, b) => b.sorts - a.sorts || b.records - a.records)
    .slice(0, LANES_MOST)
    .sort((a, b) => a.first - b.first)
    .map((t) => t.lane);
}

/** Who acts on whom, drawn once for records that lie closer than `apartUs`. */
export function arrowsOf(records: readonly Told[], lanes: readonly Lane[], apartUs: number): Arrow[] {
  const place = (value: string | undefined) => lanes.findIndex((l) => l.value === value);
  const open = new Map<string, { arrow: Arrow; at: number }>();
  const out: Arrow[] = [];
  for (const r of records) {
    // an event about an account that another one changed: who did it, and to whom
    const user = (role: string) => place(r.entities.find((e) => e.kind === "user" && e.role === role)?.original);
    const [source, person, changed, device, target] = [
      place(r.src),
      user("actor"),
      user("target"),
      place(r.sender.name),
      place(r.dst),
    ];
    const from = source >= 0 ? source : person;
    const to = [target, changed, device, person].find((lane) => lane >= 0 && lane !== from) ?? -1;
    if (from < 0 || to < 0 || from === to) continue;
    const us = usOf(r.time);
    const worked = r.outcome !== "failure" && r.action !== "deny" && r.action !== "reject";
    const key = `${from} ${to} ${worked}`;
    const there = open.get(key);
    if (there !== undefined && us - there.arrow.toUs < apartUs) {
      const arrow = { ...there.arrow, toUs: us, count: there.arrow.count + 1 };
      out[there.at] = arrow;
      open.set(key, { arrow, at: there.at });
    } else {
      const arrow = { from, to, fromUs: us, toUs: us, count: 1, worked };
      open.set(key, { arrow, at: out.push(arrow) - 1 });
    }
  }
  return out;
}
