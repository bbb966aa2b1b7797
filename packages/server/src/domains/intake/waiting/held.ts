import type { HeldSummary } from "@halvik/contract/senders";
import { guessFamily } from "@halvik/core/assure";
import { formatUs, US_PER_DAY } from "@halvik/core/base/time";
import type { HalvikRecord, RecordContent } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Queryable } from "../../../kernel/db/pool.js";
import type { Presenter } from "../../names/presenter.js";
import { Decoders } from "../pipeline/decoders.js";
import { heldByEndpoint, latestHeld } from "../pipeline/held-repository.js";
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
  const latest = await latestHeld(db, id, READ);
  const counts = await heldByEndpoint(db, id);
  const facts = directory.get(id);
  const decoders = new Decoders();
  const sender = loneSender(facts?.zone ?? "UTC");
  const contents: { readonly content: RecordContent; readonly endpoint: string }[] = [];
  // in the order they came: templates of flows before their data
  for (const arrival of latest.reverse()) {
    for (const { content } of decoders.decode(arrival, sender)) contents.push({ content, endpoint: arrival.endpoint });
  }
  const present = await presenter.present(directory);
  const total = counts.reduce((sum, c) => sum + c.count, 0);
  const [first, last] = [Math.min(...counts.map((c) => c.firstUs)), Math.max(...counts.map((c) => c.lastUs))];
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
        const record: HalvikRecord = { ...content, id: "0", sender: id, endpoint, copyOf: null, shape: null };
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
