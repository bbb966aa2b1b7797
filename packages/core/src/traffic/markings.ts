import { type FlowSeen, passagesOf } from "./passage.js";

/** A marking that is another one at another exporter on the same way. */
export interface MarkingChange {
  readonly before: number;
  readonly after: number;
  /** The exporter that told of the first one, and of the second. */
  readonly at: number;
  readonly next: number;
  /** By which interface it left the first, and came in at the second; -1: not told. */
  readonly egress: number;
  readonly ingress: number;
  readonly conversations: number;
  /** As the second exporter told them. */
  readonly bytes: number;
  /** One conversation of them. */
  readonly example: { readonly src: string; readonly dst: string };
}

interface Seen {
  readonly sender: number;
  readonly dscp: number;
  readonly egress: number;
  readonly ingress: number;
  bytes: number;
}

/** Conversations that are held at once; of more, the first. */
const MOST = 100_000;

/**
 * Where a marking (DSCP, RFC 2474) is not carried on: a conversation that two exporters tell of with different markings. Which of them it met
 * first no flow says, for their clocks differ by more than packets take from one to the other: the higher marking stands before the lower, since
 * networks clear markings and seldom invent them (common practice, no source).
 */
export class MarkingChanges {
  private readonly conversations = new Map<string, Seen[]>();

  add(flow: FlowSeen): void {
    for (const p of passagesOf(flow)) {
      if (p.dscp === null || p.flows === 0) continue;
      let seen = this.conversations.get(p.conversation);
      if (seen === undefined) {
        if (this.conversations.size >= MOST) continue;
        seen = [];
        this.conversations.set(p.conversation, seen);
      }
      const known = seen.find((s) => s.sender === p.sender);
      // what an exporter tells of both ways through it is one sight
      if (known !== undefined) known.bytes += p.bytes;
      else
        seen.push({
          sender: p.sender,
          dscp: p.dscp,
          egress: p.egress,
          ingress: p.ingress,
          bytes: p.bytes,
        });
    }
  }

  /** The most bytes first. */
  result(): MarkingChange[] {
    const changes = new Map<string, { -readonly [K in keyof MarkingChange]: MarkingChange[K] }>();
    for (const [conversation, seen] of this.conversations) {
      const way = [...seen].sort((a, b) => b.dscp - a.dscp || a.sender - b.sender);
      for (let i = 1; i < way.length; i++) {
        const [a, b] = [way[i - 1]!, way[i]!];
        if (a.dscp === b.dscp) continue;
        const key = [a.sender, a.egress, b.sender, b.ingress, a.dscp, b.dscp].join(" ");
        const known = changes.get(key);
        if (known !== undefined) {
          known.conversations++;
          known.bytes += b.bytes;
          continue;
        }
        const [src, dst] = conversation.split(" ");
        changes.set(key, {
          before: a.dscp,
          after: b.dscp,
          at: a.sender,
          next: b.sender,
          egress: a.egress,
          ingress: b.ingress,
          conversations: 1,
          bytes: b.bytes,
          example: { src: src!, dst: dst! },
        });
      }
    }
    return [...changes.values()].sort((x, y) => y.bytes - x.bytes || y.before - x.before);
  }
}
