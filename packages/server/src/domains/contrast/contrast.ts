import {
  CONTRAST_FIELDS,
  type ContrastAnswer,
  type ContrastField,
  type ContrastLine,
  type ContrastQuery,
  MOST_WINDOWS,
} from "@halvik/contract/contrast";
import { type EpochUs, formatUs, readRfc3339 } from "@halvik/core/base/time";
import type { Difference } from "@halvik/core/contrast";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { shapeText } from "@halvik/core/shapes";
import type * as z from "zod";
import type { Actor } from "../../kernel/actor.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import type { Window } from "../../kernel/http/window.js";
import { keptOf } from "../../store/segments.js";
import { type ShapeFacts, shapeFacts } from "../../store/shapes.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { labelOf } from "../records/label-of.js";
import type { Ask } from "../records/questions.js";
import { readFilter } from "../records/read-filter.js";
import { searchedWindow, windowJson } from "../records/searched-window.js";
import { shapeJson } from "../shapes/shape-json.js";
import { compareSides, endsOf } from "./compare.js";

/** What comparing takes. */
export interface ContrastNeeds {
  readonly config: Config;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly ask: Ask;
}

/** What is different in a window as against others, or of one filter as against another, the most surprising first. */
export async function contrastOf(
  deps: ContrastNeeds,
  actor: Actor,
  query: z.output<typeof ContrastQuery>,
  now: EpochUs,
): Promise<ContrastAnswer> {
  const started = performance.now();
  const by = readFields(query.by);
  const read = await readFilter(deps, actor, query, now);
  const window = searchedWindow(query, read.filter, now);
  if ((query.against === undefined) === (query.other === undefined))
    throw new AppError("BAD_REQUEST", "against, other: expected one of them, to compare with", {
      field: "against",
    });
  const asked = query.against === undefined ? [window] : readIntervals(query.against);
  const { keptUs } = await keptOf(deps.db, window);
  // a time of which nothing is kept is no time in which nothing happened
  const kept = (w: Window) => ({ fromUs: Math.min(w.toUs, Math.max(w.fromUs, keptUs ?? w.toUs)), toUs: w.toUs });
  const against = asked.map(kept).filter((w) => w.fromUs < w.toUs);
  const isCut = keptUs !== null && [window, ...asked].some((w) => w.fromUs < keptUs);
  const other =
    query.other === undefined
      ? read.filter
      : (await readFilter(deps, actor, { ...query, filter: query.other }, now)).filter;
  const compared = await compareSides(
    deps.ask,
    { filter: read.filter, windows: [kept(window)] },
    { filter: other, windows: against },
    by,
    query.per,
    now,
  );
  const told = compared.differences.slice(0, query.limit);
  const facts = await shapeFacts(
    deps.db,
    told.filter((d) => d.by === "shape").map((d) => Number(d.value)),
  );
  return {
    differences: told.map((d) => toLine(d, read.senders, facts)),
    others: compared.differences.length - told.length,
    compared: compared.compared,
    a: compared.a,
    b: compared.b,
    isCounted: compared.isCounted,
    window: windowJson(window),
    against: against.map(windowJson),
    ...(isCut ? { keptFrom: formatUs(keptUs) } : {}),
    tookMs: Math.round(performance.now() - started),
  };
}

function toLine(
  { by, value, ratio, ...d }: Difference,
  senders: SenderDirectory,
  facts: ReadonlyMap<number, ShapeFacts>,
): ContrastLine {
  const field = by as ContrastField;
  const told = { by: field, value, ...d, ...(ratio === null ? {} : { ratio }) };
  if (field === "pair") {
    const [src, dst] = endsOf(value);
    return { ...told, label: `${src} to ${dst}`, part: `src is ${src} and dst is ${dst}` };
  }
  const shape = field === "shape" ? facts.get(Number(value)) : undefined;
  if (shape !== undefined)
    return {
      ...told,
      label: shape.name || (shapeText(shape) ?? `shape ${value}`),
      part: `shape is ${value}`,
      shape: shapeJson(shape),
    };
  const label = labelOf(field, value, senders);
  return { ...told, label, part: `${field} is ${quoteIfNeeded(label)}` };
}

function readFields(text: string | undefined): readonly ContrastField[] {
  if (text === undefined || text === "") return CONTRAST_FIELDS;
  const asked = text.split(",").map((name) => name.trim());
  const unknown = asked.find((name) => !(CONTRAST_FIELDS as readonly string[]).includes(name));
  if (unknown !== undefined)
    throw new AppError("BAD_REQUEST", `by: expected some of ${CONTRAST_FIELDS.join(", ")}, got “${unknown}”`, {
      field: "by",
    });
  return CONTRAST_FIELDS.filter((f) => asked.includes(f));
}

function readIntervals(text: string): readonly Window[] {
  const refuse = (): never => {
    throw new AppError(
      "BAD_REQUEST",
      `against: expected 1 to ${MOST_WINDOWS} intervals such as 2026-11-01T00:00:00Z/2026-11-02T00:00:00Z`,
      {
        field: "against",
      },
    );
  };
  const parts = text.split(",");
  if (parts.length > MOST_WINDOWS) refuse();
  return parts.map((part) => {
    const [fromUs, toUs] = part.split("/").map((end) => {
      const time = readRfc3339(end.trim());
      return time !== null && time.end === end.trim().length && time.offsetMinutes !== null ? time.us : null;
    });
    if (fromUs == null || toUs == null || fromUs >= toUs) return refuse();
    return { fromUs, toUs };
  });
}
