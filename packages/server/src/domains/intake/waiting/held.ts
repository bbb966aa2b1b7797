import type { HeldSummary } from "@halvik/contract/senders";
import { guessFamily } from "@halvik/core/assure";
import { formatUs, US_PER_DAY } from "@halvik/core/base/time";
import type { HalvikRecord, RecordContent } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Queryable } from "../../../kernel/db/pool.js";
import type { Presenter } from "../../names/presenter.js";
import { type Arrival, PROTOCOLS } from "../arrivals/arrival.js";
import { Decoders } from "../pipeline/decoders.js";
import { loneSender } from "../senders/registry.js";

/** Of what is held, so many are read for what they are. */
const READ = 200;
const SHOWN = 10;
/** Kinds whose own text says it best. */
const OWN_WORDS: ReadonlySet<string> = new Set(["syslog", "json"]);

/** What a waiting sender has sent, read as it would be stored; nothing of it is kept by looking. */
export async function heldOf(
  db: Queryable,
  id: number,
  directory: SenderDirectory,
  presenter: Presenter,
): Promise<HeldSummary> {
  const { rows } = await db.query<{ endpoint: string; received_us: number; raw: Buffer; protocol: number }>(
    "select endpoint, received_us, raw, protocol from held_record where sender = $1 order by id desc limit $2",
    [id, READ],
  );
  const { rows: counts } = await db.query<{ endpoint: string; count: number; first: number; last: number }>(
    `select endpoint, count(*)::int as count, min(received_us) as first, max(received_us) as last from held_record where sender = $1
     group by endpoint order by count desc`,
    [id],
  );
  const facts = directory.get(id);
  const peer = facts?.addresses[0] ?? "";
  const decoders = new Decoders();
  const sender = loneSender(facts?.zone ?? "UTC");
  const contents: { readonly content: RecordContent; readonly endpoint: string }[] = [];
  // in the order they came: templates of flows before their data
  for (const r of rows.reverse()) {
    const arrival: Arrival = {
      protocol: PROTOCOLS[r.protocol] ?? "syslog",
      endpoint: r.endpoint,
      peer,
      receivedUs: r.received_us,
      bytes: r.raw,
      held: true,
    };
    for (const { content } of decoders.decode(arrival, sender)) contents.push({ content, endpoint: r.endpoint });
  }
  const present = await presenter.present(directory);
  const total = counts.reduce((sum, c) => sum + c.count, 0);
  const [first, last] = [Math.min(...counts.map((c) => c.first)), Math.max(...counts.map((c) => c.last))];
  const kinds = new Map<string, number>();
  for (const { content } of contents) kinds.set(content.kind, (kinds.get(content.kind) ?? 0) + 1);
  return {
    total,
    first: counts.length === 0 ? null : formatUs(first),
    last: counts.length === 0 ? null : formatUs(last),
    // of less than a minute no rate can be told
    perDay: last - first > 60e6 ? Math.round((total * US_PER_DAY) / (last - first)) : null,
    ways: counts.map(({ endpoint, count }) => ({ endpoint, count })),
    kinds: [...kinds].map(([kind, count]) => ({ kind: kind as RecordContent["kind"], count })),
    unreadable: decoders.undecodable.length + contents.filter(({ content }) => content.problem !== null).length,
    guess: guessFamily(contents.map((c) => c.content)),
    records: contents
      .slice(-SHOWN)
      .reverse()
      .map(({ content, endpoint }) => {
        const record: HalvikRecord = { ...content, id: "0", sender: id, endpoint, copyOf: null };
        const shown = present(record);
        return {
          at: formatUs(content.receivedUs),
          kind: content.kind,
          severity: content.severity,
          says: content.text !== "" && OWN_WORDS.has(content.kind) ? content.text : String(shown.sentence),
          problem: content.problem?.message ?? null,
        };
      }),
  };
}
