import type { ShapeOrder } from "@halvik/contract/shapes";
import { type EpochUs, formatUs } from "@halvik/core/base/time";
import { severityName } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Filter } from "@halvik/core/query/filter";
import type { Pool } from "../../kernel/db/pool.js";
import type { Window } from "../../kernel/http/window.js";
import { findRecords } from "../../store/find-records.js";
import type { FoldedShape } from "../../store/fold-shapes.js";
import { keptOf } from "../../store/segments.js";
import { type ShapeFacts, shapeFacts, shapesSinceUs } from "../../store/shapes.js";
import type { Presenter } from "../names/presenter.js";
import type { Ask } from "../records/questions.js";
import { windowJson } from "../records/searched-window.js";
import { shapeJson } from "./shape-json.js";

const BUDGET_MS = 8_000;
const NAMED_SENDERS = 3;

interface Needs {
  readonly db: Pool;
  readonly ask: Ask;
  readonly presenter: Presenter;
}

export interface ShapesAsked {
  readonly filter: Filter;
  readonly window: Window;
  readonly senders: SenderDirectory;
  readonly steps: number;
  readonly order: ShapeOrder;
  readonly limit: number;
  readonly nowUs: EpochUs;
}

/** A shape of the window, with how often it was there before. */
interface Line {
  readonly folded: FoldedShape;
  readonly facts: ShapeFacts;
  /** Null: the window before was not counted to its end, or not all of it is kept. */
  readonly before: number | null;
}

/** The records of a window by their shapes, with the window before to compare with, as the API tells them. */
export async function listShapes({ db, ask, presenter }: Needs, asked: ShapesAsked) {
  const { filter, window, senders, nowUs } = asked;
  const scope = { filter, nowUs, budgetMs: BUDGET_MS, shape: "record" as const };
  const folded = await ask(filter).shapes({ ...scope, ...window, steps: stepsOf(window, asked.steps) });
  const earlier = { fromUs: window.fromUs - (window.toUs - window.fromUs), toUs: window.fromUs };
  const { keptUs, dropped } = await keptOf(db, earlier);
  // of a time of which not all is kept, nothing is told: none would be no news
  const isKept = !dropped && keptUs !== null && keptUs <= earlier.fromUs;
  const before = await ask(filter).measure({
    ...scope,
    ...earlier,
    of: { figure: { of: "records" }, by: [{ field: "shape" }], steps: null, zone: "UTC" },
  });
  const counted = new Map(before.rows.map((row) => [row.keys[0], row.records]));
  const facts = await shapeFacts(
    db,
    folded.shapes.map((s) => s.shape),
  );
  const lines = folded.shapes.flatMap((s): Line[] => {
    const its = facts.get(s.shape);
    return its === undefined
      ? []
      : [
          {
            folded: s,
            facts: its,
            before: before.complete && isKept ? Number(counted.get(String(s.shape)) ?? 0) : null,
          },
        ];
  });
  const ordered = [...lines].sort(ORDERS[asked.order]);
  const told = ordered.slice(0, asked.limit);
  const examples = new Map(
    (
      await findRecords(
        db,
        told.map((l) => l.folded.lastId),
      )
    ).map((r) => [r.id, r]),
  );
  const present = await presenter.present(senders);
  const since = await shapesSinceUs(db);
  const toLine = ({ folded: f, facts: its, before: was }: Line) => {
    const example = examples.get(f.lastId);
    return {
      shape: shapeJson(its),
      count: f.count,
      ...(was === null ? {} : { before: was }),
      first: formatUs(f.firstUs),
      last: formatUs(f.lastUs),
      worst: severityName(f.worst),
      senders: f.senders.length,
      senderNames: f.senders.slice(0, NAMED_SENDERS).map((id) => senders.name(id)),
      course: [...f.course],
      isNew: its.firstUs >= window.fromUs,
      ...(example === undefined ? {} : { example: present(example) }),
    };
  };
  const sum = (of: readonly Line[]) => of.reduce((n, l) => n + l.folded.count, 0);
  return {
    shapes: told.map(toLine),
    others: lines.length - told.length,
    othersCount: sum(lines) - sum(told),
    records: sum(lines),
    without: folded.without,
    ...(since === null ? {} : { since: formatUs(since) }),
    exact: folded.complete,
    coveredFrom: formatUs(folded.coveredFromUs),
    window: windowJson(window),
    searched: folded.searched,
  };
}

/** Beginnings of equal steps. */
function stepsOf({ fromUs, toUs }: Window, steps: number): number[] {
  if (toUs <= fromUs) return [fromUs];
  const widthUs = Math.max(1, Math.ceil((toUs - fromUs) / steps));
  return Array.from({ length: Math.min(steps, Math.ceil((toUs - fromUs) / widthUs)) }, (_, i) => fromUs + i * widthUs);
}

/** How much more there is than before; of what is new, beyond all that is not. */
const rise = ({ folded, before }: Line): number => (before === null ? 0 : Math.log((folded.count + 1) / (before + 1)));

const ORDERS: Readonly<Record<ShapeOrder, (a: Line, b: Line) => number>> = {
  most: (a, b) => b.folded.count - a.folded.count,
  rarest: (a, b) => a.folded.count - b.folded.count || b.folded.lastUs - a.folded.lastUs,
  newest: (a, b) => b.facts.firstUs - a.facts.firstUs,
  worst: (a, b) => a.folded.worst - b.folded.worst || b.folded.count - a.folded.count,
  risen: (a, b) => rise(b) - rise(a) || b.folded.count - a.folded.count,
  fallen: (a, b) => rise(a) - rise(b) || b.folded.count - a.folded.count,
};
