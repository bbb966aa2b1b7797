import type { LeadJson, PaperDetail, PinJson } from "@halvik/contract/papers";
import { RecordJson } from "@halvik/contract/records";
import { formatUs } from "@halvik/core/base/time";
import { entitiesOf } from "@halvik/core/model/entity";
import { sessionsOf } from "@halvik/core/model/record";
import { type LeadingRecord, leadsOf } from "@halvik/core/papers";
import type { Queryable } from "../../kernel/db/pool.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Presenter } from "../names/presenter.js";
import { entriesOf } from "./entries-repository.js";
import { linksOf, type PinnedRecord, pinsOf, recordsOf, thingsOf } from "./pins-repository.js";
import { earlierPapers, type KeptPaper } from "./repository.js";

const MOST_EARLIER = 5;

interface Needs {
  readonly db: Queryable;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
}

/** All of a paper, as one person sees it. @param mayWrite whether they may change it, too */
export async function paperDetail(
  { db, directory, presenter }: Needs,
  paper: KeptPaper,
  person: string,
  mayWrite: boolean,
): Promise<PaperDetail> {
  const { id, facts } = paper;
  const senders = await directory.get();
  const present = await presenter.present(senders);
  const pins = await pinsOf(db, id);
  const records = await recordsOf(db, id);
  const entries = await entriesOf(db, id);
  const drawn = (await linksOf(db, id)).map(({ why, ...l }): LeadJson => ({ ...l, kind: "drawn", by: why }));
  const found = leadsOf(
    [...records].map(([number, kept]) =>
      leading(number, kept, senders.get(kept.record.sender)?.addresses ?? [], senders.ours),
    ),
  ).map((l): LeadJson => ({ id: null, ...l }));
  const earlier =
    facts.state === "closed" ? [] : await earlierPapers(db, person, id, await thingsOf(db, id), MOST_EARLIER);
  return {
    id,
    facts,
    owner: paper.owner,
    mayWrite,
    version: paper.version,
    created: formatUs(paper.createdUs),
    changed: formatUs(paper.changedUs),
    changedBy: paper.changedBy,
    closed: paper.closedUs === null ? null : formatUs(paper.closedUs),
    pins: pins.map((pin): PinJson => {
      const kept = records.get(pin.number);
      const { atUs, ...rest } = pin;
      return {
        ...rest,
        techniques: [...pin.techniques],
        at: formatUs(atUs),
        record: kept === undefined ? null : presented(present(kept.record), kept),
      };
    }),
    entries: entries.map(({ createdUs, changedUs, ...e }) => ({
      ...e,
      created: formatUs(createdUs),
      changed: formatUs(changedUs),
    })),
    // what is drawn by hand goes before what is found
    leads: [...drawn, ...found.filter((f) => !drawn.some((d) => d.from === f.from && d.to === f.to))],
    earlier: earlier.map((e) => ({
      id: e.id,
      name: e.name,
      conclusion: e.conclusion,
      closed: formatUs(e.closed_us),
      shares: [...e.shares],
    })),
  };
}

/** With the name that its sender had when it was pinned. */
const presented = (json: Readonly<Record<string, unknown>>, { record, sender }: PinnedRecord): RecordJson =>
  RecordJson.parse({ ...json, sender: { id: record.sender, name: sender } });

const leading = (
  pin: number,
  { record, sender }: PinnedRecord,
  senderAddresses: readonly string[],
  ours: Parameters<typeof entitiesOf>[2],
): LeadingRecord => ({
  pin,
  timeUs: record.timeUs,
  kind: record.kind,
  category: record.category,
  outcome: record.outcome,
  sender,
  senderAddresses,
  src: record.src,
  dst: record.dst,
  dstPort: record.dstPort,
  entities: entitiesOf(record, sender, ours),
  sessions: sessionsOf(record),
});
