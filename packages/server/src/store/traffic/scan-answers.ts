import type { EpochUs } from "@halvik/core/base/time";
import type { HalvikRecord } from "@halvik/core/model/record";
import type { RowSet } from "@halvik/core/query/terms";
import { ServerAnswers, type ServiceAnswers, serverAnswer } from "@halvik/core/traffic";
import type { Queryable } from "../../kernel/db/pool.js";
import { eachSource, idsOfRows, type PartSource, type SourceVisitor } from "../part-matches.js";
import { scanRecords } from "../scan-records.js";
import { SearchQuery, type SearchScope } from "../search-query.js";
import type { Source } from "../sources.js";
import type { PartHead } from "../term-index.js";

/** Records that are read at once. */
const ROWS = 2_000;

/** How servers answered, by the records that a filter matches. */
export interface AnswersScan {
  readonly services: readonly ServiceAnswers[];
  /** Records that told of an answer. */
  readonly answers: number;
  /** From this moment on all were looked at; null: there is nothing more. */
  readonly reachedUs: EpochUs | null;
}

/** Goes through the records, the newest first, as far as there is time. @param stepUs width of the steps of the course */
export async function scanAnswers(
  db: Queryable,
  scope: SearchScope,
  { stepUs }: { readonly stepUs: number },
): Promise<AnswersScan> {
  const query = new SearchQuery(db, scope);
  const found = new Answering(query, stepUs);
  const reachedUs = await eachSource(query, found);
  return {
    services: found.sums.result(),
    answers: found.answers,
    reachedUs: reachedUs === null || reachedUs <= scope.fromUs ? null : Math.min(reachedUs, scope.toUs),
  };
}

class Answering implements SourceVisitor {
  readonly sums: ServerAnswers;
  answers = 0;

  constructor(
    private readonly query: SearchQuery,
    stepUs: number,
  ) {
    this.sums = new ServerAnswers(stepUs);
  }

  async fromTerms(source: PartSource, _head: PartHead, rows: RowSet): Promise<void> {
    const numbers = rows.list(0, rows.rows);
    for (let at = 0; at < numbers.length; at += ROWS) {
      const ids = await idsOfRows(this.query, source, numbers.slice(at, at + ROWS));
      for (const record of await this.query.readIds(source.segment, ids)) this.add(record);
    }
  }

  scan(source: Source): Promise<boolean> {
    return scanRecords(this.query, source, (record) => {
      this.add(record);
      return true;
    });
  }

  private add(record: HalvikRecord): void {
    const answer = serverAnswer(record, this.query.scope.directory.name(record.sender));
    if (answer === null) return;
    this.answers++;
    this.sums.add(record.timeUs, answer);
  }
}
