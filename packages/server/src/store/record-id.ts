import type { IdParts } from "./copy-binary.js";

export const COLLECTOR_BITS = 10n;
export const MAX_COLLECTORS = 1 << 10;
/** No id is greater. */
export const LAST_ID = "9223372036854775807";

/** 63 bits: 53 of µs at storage, 10 of collector (`docs/semantics.md` 4). Decimal, as JSON carries it. */
export function formatRecordId({ us, collector }: IdParts): string {
  return ((BigInt(us) << COLLECTOR_BITS) | BigInt(collector)).toString();
}

/** The collector whose id it is. */
export const collectorOf = (id: string): number => Number(BigInt(id) & BigInt(MAX_COLLECTORS - 1));

/** Ids of one collector, strictly increasing: max(last + 1, now). */
export class IdSource {
  constructor(
    readonly collector: number,
    private lastUs: number,
  ) {}

  next(nowUs: number): IdParts {
    this.lastUs = Math.max(this.lastUs + 1, nowUs);
    return { us: this.lastUs, collector: this.collector };
  }
}
