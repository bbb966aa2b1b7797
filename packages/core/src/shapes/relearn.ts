import { ShapeBook } from "./book.js";
import { type MessageShape, type Shaped, standing } from "./shape.js";

/** What shapes would be, learnt anew, and how the old ones lead to them. */
export interface Relearnt {
  /** Shapes that go on as an old one: most of their records had that number, and it has no other with more of its records. */
  readonly kept: readonly { readonly shape: MessageShape; readonly old: number }[];
  /** Old ones most of whose records are now of a shape that goes on as another. */
  readonly merged: readonly { readonly old: number; readonly into: MessageShape }[];
  /** Shapes that go on as none: what was one is several now, or was never told apart. */
  readonly fresh: readonly MessageShape[];
  readonly records: number;
  /** Records whose old number leads to another shape than the one they are of now. */
  readonly notMapped: number;
}

/** Learns shapes anew from records in their order, and maps the old ones to them by the majority of their records. */
export class Relearning {
  private readonly book = new ShapeBook();
  /** For each shape as it was then, how many of its records had which old number; 0: none. */
  private readonly counted = new Map<MessageShape, Map<number, number>>();
  private records = 0;

  /** @param old the shape it was given on arrival, or what that has become part of; null: it has none */
  add(content: Shaped, old: number | null): void {
    const shape = this.book.learn(content);
    if (shape === null) return;
    this.records++;
    const olds = this.counted.get(shape) ?? new Map<number, number>();
    this.counted.set(shape, olds.set(old ?? 0, (olds.get(old ?? 0) ?? 0) + 1));
  }

  result(): Relearnt {
    const byShape = new Map<MessageShape, Map<number, number>>();
    for (const [then, olds] of this.counted) {
      const shape = standing(then);
      const all = byShape.get(shape) ?? new Map<number, number>();
      for (const [old, n] of olds) all.set(old, (all.get(old) ?? 0) + n);
      byShape.set(shape, all);
    }
    const pairs = [...byShape].flatMap(([shape, olds]) =>
      [...olds].filter(([old]) => old !== 0).map(([old, n]) => ({ shape, old, n })),
    );
    pairs.sort((a, b) => b.n - a.n || a.old - b.old);
    const kept = new Map<MessageShape, number>();
    const leads = new Map<number, MessageShape>();
    const first = new Set<MessageShape>();
    for (const { shape, old } of pairs) {
      // only the old one that most of a shape's records had may go on as it
      const isMajority = !first.has(shape);
      first.add(shape);
      if (leads.has(old)) continue;
      leads.set(old, shape);
      if (isMajority) kept.set(shape, old);
    }
    const notMapped = pairs.filter(({ shape, old }) => leads.get(old) !== shape).reduce((sum, { n }) => sum + n, 0);
    return {
      kept: [...kept].map(([shape, old]) => ({ shape, old })),
      merged: [...leads].filter(([old, shape]) => kept.get(shape) !== old).map(([old, into]) => ({ old, into })),
      fresh: [...byShape.keys()].filter((shape) => !kept.has(shape)),
      records: this.records,
      notMapped,
    };
  }
}
