import type { TileAnswer } from "@halvik/contract/boards";
import { formatUs, US_PER_DAY, US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import type { TileShows } from "@halvik/core/board";
import { LRUCache } from "lru-cache";
import { windowJson } from "../records/searched-window.js";
import { makeTile, type TileNeeds, type TileScope } from "./make-tile.js";

const MOST_KEPT = 500;
/** Windows that follow the clock end at a tick: long ones at whole minutes, which are summed already. */
const [TICK_US, LONG_TICK_US] = [10 * US_PER_SECOND, US_PER_MINUTE];
const LONG_US = 2 * US_PER_HOUR;

/** For how long an answer holds, in seconds: the longer the window, the less a moment changes of it. */
function holdsFor({ is }: TileShows, spanUs: number): number {
  switch (is) {
    case "last night":
    case "sites":
    case "incidents a day":
    case "alarm load":
    case "limits":
    case "fullest links":
      return 60;
    case "text":
    case "clock":
      return 3_600;
    case "needs somebody":
    case "silent senders":
    case "intake":
    case "records":
      return 5;
    default:
      return spanUs <= LONG_US ? 9 : spanUs <= 2 * US_PER_DAY ? 30 : 120;
  }
}

interface Kept {
  readonly atUs: number;
  readonly answer: Promise<TileAnswer>;
}

/** Tiles as they were made lately: however many screens show the same, it is made once. */
export class KeptTiles {
  private readonly kept = new LRUCache<string, Kept>({ max: MOST_KEPT });

  constructor(private readonly needs: TileNeeds) {}

  of(shows: TileShows, scope: TileScope): Promise<TileAnswer> {
    const { actor, zone, filter, nowUs } = scope;
    const window = onTicks(scope.window, nowUs);
    const span = window.toUs - window.fromUs;
    // a window that follows the clock is one question for as long as its answer holds; one that stands has its own
    const asked = scope.window.toUs >= nowUs - TICK_US ? [span] : [window.fromUs, window.toUs];
    const key = JSON.stringify([shows, filter, zone, actor.name, ...asked]);
    const before = this.kept.get(key);
    if (before !== undefined && nowUs - before.atUs < holdsFor(shows, span) * US_PER_SECOND) return before.answer;
    const answer = this.make(shows, { ...scope, window });
    this.kept.set(key, { atUs: nowUs, answer });
    // what failed is asked again
    answer.catch(() => this.kept.delete(key));
    return answer;
  }

  private async make(shows: TileShows, scope: TileScope): Promise<TileAnswer> {
    const started = performance.now();
    const made = await makeTile(this.needs, shows, scope);
    return {
      made,
      window: windowJson(scope.window),
      at: formatUs(scope.nowUs),
      tookMs: Math.round(performance.now() - started),
    };
  }
}

/** A window that ends about now ends at the last tick, and begins at one. */
function onTicks({ fromUs, toUs }: TileScope["window"], nowUs: number): TileScope["window"] {
  if (toUs < nowUs - TICK_US) return { fromUs, toUs };
  const tick = toUs - fromUs > LONG_US ? LONG_TICK_US : TICK_US;
  const span = Math.max(tick, Math.round((toUs - fromUs) / tick) * tick);
  const end = Math.floor(Math.min(toUs, nowUs) / tick) * tick;
  return { fromUs: end - span, toUs: end };
}
