import { AgedMap } from "@halvik/core/base/collections";
import type { Episode } from "@halvik/core/detect";

const MOST_RECORDS = 200_000;

/**
 * Which findings the latest records are evidence of: two findings with most records in common are of one happening. Bounded: the oldest are
 * forgotten.
 */
export class RecentEvidence {
  private readonly byRecord = new AgedMap<string, number[]>();
  private readonly listed = new AgedMap<number, number>();

  note(finding: number, { first, latest }: Listed): void {
    this.listed.delete(finding);
    this.listed.set(finding, first.length + latest.length);
    for (const { id } of [...first, ...latest]) {
      const there = this.byRecord.get(id);
      if (there === undefined) this.byRecord.set(id, [finding]);
      else if (!there.includes(finding)) there.push(finding);
    }
    forgetOldest(this.byRecord, MOST_RECORDS);
    forgetOldest(this.listed, MOST_RECORDS);
  }

  /** Findings with evidence in common with an episode. */
  sharing({ first, latest }: Listed): ReadonlyMap<number, Shared> {
    const counts = new Map<number, number>();
    for (const { id } of [...first, ...latest])
      for (const finding of this.byRecord.get(id) ?? []) counts.set(finding, (counts.get(finding) ?? 0) + 1);
    const own = first.length + latest.length;
    return new Map(
      [...counts].map(([finding, n]) => {
        const listed = this.listed.get(finding) ?? own;
        return [finding, { ofSmaller: Math.min(1, n / Math.min(own, listed)), ofItsOwn: Math.min(1, n / listed) }];
      }),
    );
  }
}

/** Records that are listed as evidence of two: which part of the smaller list, and of the finding's own. */
export interface Shared {
  readonly ofSmaller: number;
  readonly ofItsOwn: number;
}

type Listed = Pick<Episode, "first" | "latest">;

function forgetOldest(map: AgedMap<unknown, unknown>, most: number): void {
  while (map.size > most) map.dropOldest();
}
