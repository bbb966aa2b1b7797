import type { EpochUs } from "../../base/time/index.js";

/** When a template came, and what was read by it. */
export interface TemplateUse {
  /** First told as it is now; null: before Halvik kept that. */
  readonly learntUs: EpochUs | null;
  /** Last told. */
  readonly toldUs: EpochUs | null;
  /** Last read by. */
  readonly usedUs: EpochUs | null;
  readonly records: number;
}

/** Uses of the templates of a domain as plain data. */
export type SavedUses = readonly (readonly [id: number, TemplateUse])[];

const NEVER: TemplateUse = { learntUs: null, toldUs: null, usedUs: null, records: 0 };

/** How often uses alone are worth being kept, in µs. */
const SAVE_EVERY_US = 60_000_000;

/** Uses of the templates of one observation domain. */
export class TemplateUses {
  private readonly byId = new Map<number, TemplateUse>();
  private savedUs: EpochUs = Number.NEGATIVE_INFINITY;
  private isDirty = false;

  /** @param learnt templates that a message told @param read records that were read by each */
  note(atUs: EpochUs, learnt: readonly number[], read: ReadonlyMap<number, number>): void {
    for (const id of learnt) {
      const known = this.byId.get(id) ?? NEVER;
      this.byId.set(id, { ...known, learntUs: known.learntUs ?? atUs, toldUs: atUs });
    }
    for (const [id, records] of read) {
      const known = this.byId.get(id) ?? NEVER;
      this.byId.set(id, { ...known, usedUs: atUs, records: known.records + records });
    }
    if (learnt.length > 0 || read.size > 0) this.isDirty = true;
  }

  /** It means something else now, or nothing. */
  forget(id: number): void {
    this.byId.delete(id);
  }

  get(id: number): TemplateUse {
    return this.byId.get(id) ?? NEVER;
  }

  isDue(nowUs: EpochUs): boolean {
    return this.isDirty && nowUs - this.savedUs >= SAVE_EVERY_US;
  }

  save(nowUs: EpochUs): [number, TemplateUse][] {
    this.isDirty = false;
    this.savedUs = nowUs;
    return this.all();
  }

  all(): [number, TemplateUse][] {
    return [...this.byId];
  }

  reset(to: SavedUses): void {
    this.byId.clear();
    for (const [id, use] of to) this.byId.set(id, use);
  }
}
