import { type EpochUs, readRfc3339 } from "../../base/time/index.js";
import type { HistoryCode } from "../incidents/index.js";
import type { RecordInWords, StoryEvidence } from "./acts.js";
import { type Paragraph, writeStory } from "./tell.js";

/** An incident as the API gives it, as far as its story goes; times as RFC 3339 texts. */
export interface StoryDetail {
  readonly incident: {
    readonly state: "open" | "cleared" | "closed";
    readonly stopped: boolean;
    readonly last: string;
    readonly ended: string | null;
    readonly closeReason: string | null;
    readonly acknowledged: { readonly by: string } | null;
    readonly explains: { readonly all: number };
  };
  readonly findings: readonly {
    readonly first: string;
    readonly last: string;
    readonly count: number;
    readonly says: string | null;
    readonly clearedBy: string | null;
    readonly evidence: readonly StoryRecord[];
  }[];
  readonly history: readonly { readonly code: HistoryCode; readonly who: string }[];
}

interface StoryRecord {
  readonly id: string;
  readonly time: string;
  readonly sender: { readonly name: string };
  readonly kind: string;
  readonly category: string;
  readonly outcome: string;
  readonly text: string;
  readonly sentence?: string | null | undefined;
  readonly action?: string | undefined;
  readonly app?: string | undefined;
  readonly src?: string | undefined;
  readonly dst?: string | undefined;
  readonly dstPort?: number | undefined;
  readonly users?: readonly string[] | undefined;
  readonly interface?: string | undefined;
  readonly bytes?: number | string | undefined;
}

/** The story of an incident, from what the API says of it. @param clock a moment as people read it */
export function storyOf({ incident: i, findings, history }: StoryDetail, clock: (us: EpochUs) => string): Paragraph[] {
  const evidence = findings.map(
    (f): StoryEvidence => ({
      firstUs: us(f.first),
      lastUs: us(f.last),
      count: f.count,
      says: f.says,
      records: f.evidence.map(recordInWords),
    }),
  );
  const clearedBy = findings.map((f) => f.clearedBy).find((by) => by === "record" || by === "condition");
  return writeStory(
    evidence,
    {
      state: i.state,
      stopped: i.stopped,
      lastUs: us(i.last),
      endedUs: i.ended === null ? null : us(i.ended),
      closeReason: i.closeReason,
      closedBy: history.find((h) => h.code === "closed")?.who ?? null,
      acknowledgedBy: i.acknowledged?.by ?? null,
      clearedBy: clearedBy === "record" || clearedBy === "condition" ? clearedBy : null,
      explains: i.explains.all,
    },
    clock,
  );
}

const recordInWords = (r: StoryRecord): RecordInWords => ({
  id: r.id,
  us: us(r.time),
  sender: r.sender.name,
  kind: r.kind,
  category: r.category,
  outcome: r.outcome,
  action: r.action ?? null,
  app: r.app ?? null,
  src: r.src ?? null,
  dst: r.dst ?? null,
  dstPort: r.dstPort ?? null,
  users: r.users ?? [],
  interface: r.interface ?? null,
  bytes: Number(r.bytes ?? 0),
  // what means no more than it says is quoted
  sentence: r.sentence && r.sentence !== r.text ? r.sentence : null,
  text: r.text,
});

const us = (text: string): EpochUs => readRfc3339(text)?.us ?? 0;
