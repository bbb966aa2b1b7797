import { fitContent, fitText, unreadable } from "@halvik/core/normalise";
import type { Client } from "../../../kernel/db/pool.js";
import type { Piece } from "../../../store/batches.js";
import type { Arrival } from "../arrivals/arrival.js";
import { PROTOCOL_FACTS } from "../arrivals/protocols.js";
import type { DecodedBatch } from "./decode-batch.js";
import { holdRecords } from "./held-repository.js";

/** An arrival with what came of it; null: Halvik's own observations. */
export interface ArrivalPiece extends Piece {
  readonly arrival: Arrival | null;
}

/** A batch as its arrivals, each with its records and what is held of it. */
export function piecesOf(
  arrivals: readonly Arrival[],
  decoded: DecodedBatch,
  held: DecodedBatch["held"],
): ArrivalPiece[] {
  const waiting = new Map(held.map((h) => [h.arrival, h]));
  return arrivals.flatMap((arrival, i) => {
    const records = decoded.records.slice(decoded.ends[i - 1] ?? 0, decoded.ends[i]);
    const own = waiting.get(arrival);
    if (own !== undefined) return [{ arrival, records, also: (db: Client) => holdRecords(db, [own]) }];
    return records.length === 0 ? [] : [{ arrival, records }];
  });
}

/** What stands for an arrival whose records the store refuses: its bytes and the reason, under the first of their ids. */
export function unreadablePiece({ arrival, records }: ArrivalPiece, reason: Error): ArrivalPiece | null {
  const first = records[0];
  if (arrival === null || first === undefined) return null;
  const message = fitText(`the store refused it: ${reason.message}`, 500);
  const problem = { code: "NOT_STORABLE" as const, offset: 0, message };
  const content = unreadable(PROTOCOL_FACTS[arrival.protocol].kind, arrival.bytes, arrival.receivedUs, problem);
  return { arrival, records: [{ ...first, copyOf: null, content: fitContent(content, arrival.bytes) }] };
}
