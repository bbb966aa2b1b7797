import type { EpochUs } from "@halvik/core/base/time";
import type { HalvikRecord, Severity } from "@halvik/core/model/record";
import { DIRECTORY_ROWS, eachRowIn, type RowSet, termPrefix } from "@halvik/core/query/terms";
import type { Queryable } from "../kernel/db/pool.js";
import type { IdParts } from "./copy-binary.js";
import { eachSource, type PartSource, type SourceVisitor } from "./part-matches.js";
import { formatRecordId } from "./record-id.js";
import { scanRecords } from "./scan-records.js";
import { type Searched, SearchQuery, type SearchScope } from "./search-query.js";
import { segmentTable } from "./segments.js";
import type { Source } from "./sources.js";
import type { PartHead } from "./term-index.js";
import { readTermsWith } from "./values-of.js";

/** What of the records of a window is of one message shape. */
export interface FoldedShape {
  readonly shape: number;
  readonly count: number;
  readonly firstUs: EpochUs;
  readonly lastUs: EpochUs;
  /** The newest of them. */
  readonly lastId: string;
  readonly worst: Severity;
  readonly senders: readonly number[];
  /** How many in each step. */
  readonly course: readonly number[];
}

export interface FoldedShapes {
  readonly shapes: readonly FoldedShape[];
  /** Records that have no shape: they are from before shapes were told apart. */
  readonly without: number;
  readonly complete: boolean;
  readonly coveredFromUs: EpochUs;
  readonly searched: Searched;
}

interface Folding {
  count: number;
  firstUs: EpochUs;
  lastUs: EpochUs;
  /** Its id, or the parts that it is made of in the end. */
  newest: string | IdParts;
  worst: number;
  readonly senders: Set<number>;
  /** The one that was added last: it often goes on. */
  sender: number;
  readonly course: number[];
}

/** Shape 0 is that of records that have none. */
const NONE = 0;

/**
 * Folds the records that match to one entry a shape, those that became one together. Flows have no shape and are not looked at.
 * @param steps beginnings of steps, ascending
 */
export async function foldShapes(db: Queryable, scope: SearchScope, steps: readonly EpochUs[]): Promise<FoldedShapes> {
  const query = new SearchQuery(db, { ...scope, shape: "record" });
  const fold = new Fold(query, steps);
  const openUs = query.fromUs < query.toUs ? await eachSource(query, fold) : null;
  return {
    ...fold.result(),
    complete: openUs === null,
    coveredFromUs: openUs === null ? query.fromUs : Math.min(query.toUs, openUs + 1),
    searched: query.searched,
  };
}

/** Several records of one shape and sender within a step. */
interface Some {
  readonly shape: number;
  readonly step: number;
  readonly sender: number;
  readonly severity: number;
  readonly count: number;
  readonly firstUs: EpochUs;
  readonly lastUs: EpochUs;
  readonly lastId: string;
}

class Fold implements SourceVisitor {
  private readonly byShape = new Map<number, Folding>();

  constructor(
    private readonly query: SearchQuery,
    private readonly steps: readonly EpochUs[],
  ) {}

  async fromTerms({ part, collector }: PartSource, head: PartHead, rows: RowSet): Promise<void> {
    if (rows.isEmpty()) return;
    const { terms } = this.query.scope;
    const numbers = async (prefix: string) => {
      const of = new Int32Array(rows.rows);
      await readTermsWith(this.query.db, terms, { part, head }, prefix, (value, postings) => {
        const n = Number(value);
        eachRowIn(postings, rows, (row) => {
          of[row] = n;
        });
      });
      return of;
    };
    const lists = new Map<number, ReturnType<RowSet["list"]>>();
    for (let first = 0; first < rows.rows; first += DIRECTORY_ROWS) {
      const list = rows.list(first, first + DIRECTORY_ROWS);
      if (list.length > 0) lists.set(first / DIRECTORY_ROWS, list);
    }
    // asked for together: a part is one question for each of them, and one for the times of its rows
    const [shapes, senders, severities, times] = await Promise.all([
      numbers(termPrefix("shape")),
      numbers(termPrefix("sender")),
      numbers(termPrefix("severity")),
      terms.readDirectory(this.query.db, part, new Set(lists.keys())),
    ]);
    // millions of rows: what a number leads to is looked up once a part
    const entries: Folding[] = [];
    for (const [number, list] of lists) {
      const columns = times.get(number);
      if (columns === undefined) {
        this.query.searched.gone++;
        return;
      }
      const first = number * DIRECTORY_ROWS;
      for (const row of list) {
        const timeUs = columns.timesUs[row - first]!;
        const shape = shapes[row]!;
        const entry = entries[shape] ?? this.entry(shape);
        entries[shape] = entry;
        if (timeUs >= entry.lastUs) entry.newest = { us: columns.storedUs[row - first]!, collector };
        this.add(entry, timeUs, timeUs, 1, severities[row]!, senders[row]!, this.stepOf(timeUs));
      }
    }
  }

  async scan(source: Source): Promise<boolean> {
    const { params, condition } = this.query.compile(source.shape);
    if (!condition.exact) return scanRecords(this.query, source, (record) => this.addRecord(record));
    const bounds = this.query.bounds(source, params);
    const step = this.steps.length < 2 ? "1" : `width_bucket(r.time, ${params.add(this.steps, "::bigint[]")})`;
    const rows = (await this.query.rows(
      `select coalesce(r.shape, ${NONE}) as shape, ${step} as step, r.sender, min(r.severity) as severity, count(*)::int as count,
         min(r.time) as "firstUs", max(r.time) as "lastUs", (array_agg(r.id order by r.time desc))[1]::text as "lastId"
       from ${segmentTable(source.segment)} r where ${bounds} and ${condition.text} group by 1, 2, 3`,
      params.values,
    )) as readonly Some[];
    for (const s of rows) {
      const entry = this.entry(s.shape);
      if (s.lastUs >= entry.lastUs) entry.newest = s.lastId;
      this.add(entry, s.firstUs, s.lastUs, s.count, s.severity, s.sender, s.step - 1);
      this.query.searched.rowsRead += s.count;
    }
    return true;
  }

  private addRecord(record: HalvikRecord): boolean {
    const { timeUs } = record;
    const entry = this.entry(record.shape ?? NONE);
    if (timeUs >= entry.lastUs) entry.newest = record.id;
    this.add(entry, timeUs, timeUs, 1, record.severity, record.sender, this.stepOf(timeUs));
    return true;
  }

  private entry(given: number): Folding {
    const shape = given === NONE ? NONE : this.query.scope.directory.standingShape(given);
    const there = this.byShape.get(shape);
    if (there !== undefined) return there;
    const made: Folding = {
      count: 0,
      firstUs: Number.POSITIVE_INFINITY,
      lastUs: Number.NEGATIVE_INFINITY,
      newest: "",
      worst: 7,
      senders: new Set(),
      sender: Number.NaN,
      course: new Array<number>(this.steps.length).fill(0),
    };
    this.byShape.set(shape, made);
    return made;
  }

  private add(
    entry: Folding,
    firstUs: EpochUs,
    lastUs: EpochUs,
    count: number,
    severity: number,
    sender: number,
    step: number,
  ): void {
    entry.count += count;
    if (firstUs < entry.firstUs) entry.firstUs = firstUs;
    if (lastUs > entry.lastUs) entry.lastUs = lastUs;
    if (severity < entry.worst) entry.worst = severity;
    if (sender !== entry.sender) {
      entry.senders.add(sender);
      entry.sender = sender;
    }
    if (step >= 0 && step < entry.course.length) entry.course[step]! += count;
  }

  /** The step a moment lies in; steps are mostly of one width, so that the first guess is right. */
  private stepOf(us: EpochUs): number {
    const { steps } = this;
    if (steps.length < 2) return 0;
    let step = Math.min(steps.length - 1, Math.max(0, Math.floor((us - steps[0]!) / (steps[1]! - steps[0]!))));
    while (step > 0 && us < steps[step]!) step--;
    while (step + 1 < steps.length && us >= steps[step + 1]!) step++;
    return step;
  }

  result(): Pick<FoldedShapes, "shapes" | "without"> {
    const without = this.byShape.get(NONE)?.count ?? 0;
    this.byShape.delete(NONE);
    const shapes = [...this.byShape].map(([shape, { senders, worst, newest, sender: _, ...entry }]) => ({
      shape,
      ...entry,
      lastId: typeof newest === "string" ? newest : formatRecordId(newest),
      worst: worst as Severity,
      senders: [...senders].sort((a, b) => a - b),
    }));
    return { shapes: shapes.sort((a, b) => b.count - a.count || a.shape - b.shape), without };
  }
}
