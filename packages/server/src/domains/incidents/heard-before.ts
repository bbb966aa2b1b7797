import { US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { entityCode, readEntity } from "@halvik/core/model/entity";
import { fieldNamed } from "@halvik/core/model/record";
import type { Sender, SenderDirectory } from "@halvik/core/model/senders";
import { parseFilter, quoteIfNeeded } from "@halvik/core/query/filter";
import { COUNTED, type Heard, UNCOUNTED } from "@halvik/core/respond/incidents";
import type { Queryable } from "../../kernel/db/pool.js";
import { fieldValues } from "../../store/field-values.js";
import { TermIndex } from "../../store/term-index.js";
import { sendersHeard } from "./joints-repository.js";
import { once } from "./once.js";

const WEEK_US = 7 * US_PER_DAY;
/** What has to be looked up for one finding may take this long together; what is left is taken as it was counted until then. */
const BUDGET_MS = 1_500;
/** And all of a minute this long: a storm of findings is placed in time, if by less. */
const MINUTE_MS = 60_000;
const BUDGET_A_MINUTE_MS = 10_000;
const MOST_REMEMBERED = 10_000;
/** What is said of a sender that many have to do with. */
const DECLARED = /^(relay|resolver|gateway|dns|proxy|jump[- ]?host)$/i;

/** How widely things were known in the week before something happened (`docs/semantics.md` 25): counted from the records, and remembered. */
export class HeardBefore {
  private readonly terms = new TermIndex();
  private readonly known = new Map<string, Heard>();
  private readonly heard = new Map<number, number>();
  private minute = { sinceMs: Number.NEGATIVE_INFINITY, spentMs: 0 };

  /** @param beforeUs the week ends here, to the hour */
  async of(
    db: Queryable,
    things: readonly string[],
    beforeUs: number,
    directory: SenderDirectory,
  ): Promise<(thing: string) => Heard> {
    const hour = Math.floor(beforeUs / US_PER_HOUR);
    const declared = declaredHubs(directory);
    const found = new Map<string, Heard>();
    const started = performance.now();
    for (const thing of things) {
      const said = declared.get(thing);
      if (said !== undefined) found.set(thing, { by: 0, of: 0, declared: said });
      else if (COUNTED.includes(readEntity(thing).field)) {
        const budgetMs = Math.max(50, BUDGET_MS - (performance.now() - started));
        found.set(thing, await this.count(db, thing, hour, directory, budgetMs));
      }
    }
    return (thing) => found.get(thing) ?? { by: 1, of: 1 };
  }

  private async count(
    db: Queryable,
    thing: string,
    hour: number,
    directory: SenderDirectory,
    budgetMs: number,
  ): Promise<Heard> {
    const at = `${hour} ${thing}`;
    const remembered = this.known.get(at);
    if (remembered !== undefined) return remembered;
    const started = performance.now();
    if (started - this.minute.sinceMs > MINUTE_MS) this.minute = { sinceMs: started, spentMs: 0 };
    if (this.minute.spentMs > BUDGET_A_MINUTE_MS) return UNCOUNTED;
    const { field, value } = readEntity(thing);
    const parsed = parseFilter(`${fieldNamed(field)!.name} is ${quoteIfNeeded(value)}`, { zone: "UTC" });
    const toUs = hour * US_PER_HOUR;
    const by = !parsed.ok
      ? 0
      : (
          await fieldValues(
            db,
            {
              filter: parsed.filter,
              fromUs: toUs - WEEK_US,
              toUs,
              directory,
              nowUs: toUs,
              budgetMs,
              terms: this.terms,
            },
            { field: "sender" },
            1,
          )
        ).distinct;
    const heard = { by, of: await this.senders(db, hour) };
    this.minute.spentMs += performance.now() - started;
    if (this.known.size >= MOST_REMEMBERED) this.known.clear();
    this.known.set(at, heard);
    return heard;
  }

  /** Senders heard in the week before an hour. */
  private async senders(db: Queryable, hour: number): Promise<number> {
    const remembered = this.heard.get(hour);
    if (remembered !== undefined) return remembered;
    const n = await sendersHeard(db, hour - WEEK_US / US_PER_HOUR, hour);
    if (this.heard.size >= MOST_REMEMBERED) this.heard.clear();
    this.heard.set(hour, n);
    return n;
  }
}

/** Where the week ends that comes before something and what it may belong to; what has lasted for days moves it by one day at most. */
export const weekBefore = (firstUs: number, others: readonly { readonly firstUs: number }[]): number =>
  Math.max(firstUs - US_PER_DAY, Math.min(firstUs, ...others.map((o) => o.firstUs)));

/** Senders that many have to do with, by what they are called and by their addresses, with why. */
const declaredHubs = once(({ senders, ours }: SenderDirectory): ReadonlyMap<string, string> => {
  const through = new Set(senders.map((s) => s.reachedThrough));
  const hubs = new Map<string, string>();
  for (const sender of senders) {
    const why = reasonOf(sender, through);
    if (why === null) continue;
    hubs.set(entityCode("host", ours.canonical("host", sender.name)), why);
    for (const address of sender.addresses) hubs.set(entityCode("address", address), why);
  }
  return hubs;
});

function reasonOf(sender: Sender, through: ReadonlySet<number | null>): string | null {
  if (sender.relay) return `${sender.name} is a relay`;
  if (through.has(sender.id)) return `others are reached through ${sender.name}`;
  const said = [sender.role ?? "", ...sender.groups].find((text) => DECLARED.test(text.trim()));
  return said === undefined ? null : `${sender.name} is declared as ${said.trim()}`;
}
