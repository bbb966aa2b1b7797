import { isZone } from "@halvik/core/base/time";
import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";

const HOUR_US = 3_600_000_000;
const DAY_US = 24 * HOUR_US;
const LEAST_SPAN_US = 10_000_000;
/** The longest stretch that is looked at at once. */
export const MOST_SPAN_US = 400 * DAY_US;
export const DEFAULT_RAIL_US = 12 * HOUR_US;
export const DEFAULT_WINDOW_US = 6 * HOUR_US;

/** A stretch of time that ends at a moment, or follows the clock (`endUs` null). */
export interface Stretch {
  readonly spanUs: number;
  readonly endUs: number | null;
}

/** A stretch that a page points out on the rail, with its name. */
export interface Marked {
  readonly fromUs: number;
  readonly toUs: number;
  readonly says: string;
}

interface ViewState {
  /** What the rail shows, and the window within it that the page obeys. */
  readonly rail: Stretch;
  readonly window: Stretch;
  /** The clock, stepped so that following windows move in steps a query cache can hold. */
  readonly nowUs: number;
  readonly needleUs: number | null;
  readonly marked: Marked | null;
  /** Moments that a page points out on the rail, as what a rehearsal would have raised. */
  readonly points: readonly number[];
  readonly zone: string;
  readonly theme: "light" | "night";
  readonly live: boolean;
  /** Whether the window is being chosen by name or by typing. */
  readonly choosingTime: boolean;
  setWindow(window: Stretch): void;
  setRail(rail: Stretch): void;
  setNeedle(us: number | null): void;
  setMarked(marked: Marked | null): void;
  setPoints(points: readonly number[]): void;
  setTheme(theme: "light" | "night"): void;
  setLive(live: boolean): void;
  setZone(zone: string): void;
  setChoosingTime(choosingTime: boolean): void;
  tick(nowUs: number): void;
}

const clockUs = () => Date.now() * 1_000;
const savedTheme = localStorage.getItem("halvik.theme");

/** The zone chosen in this browser, as long as it knows it; else the browser's own. */
function savedZone(): string {
  const saved = localStorage.getItem("halvik.zone");
  return saved !== null && isZone(saved) ? saved : Intl.DateTimeFormat().resolvedOptions().timeZone;
}

/** Window, rail, needle, zone and theme: what every page shares. */
export const useViewStore = create<ViewState>((set) => ({
  rail: { spanUs: DEFAULT_RAIL_US, endUs: null },
  window: { spanUs: DEFAULT_WINDOW_US, endUs: null },
  nowUs: clockUs(),
  needleUs: null,
  marked: null,
  points: [],
  zone: savedZone(),
  theme:
    savedTheme === "night" || (savedTheme === null && matchMedia("(prefers-color-scheme: dark)").matches)
      ? "night"
      : "light",
  live: false,
  choosingTime: false,
  setWindow: (window) =>
    set((s) => ({
      window: clamp(window, s.nowUs),
      rail: railAround(s.rail, window, s.nowUs),
      live: s.live && window.endUs === null,
    })),
  setRail: (rail) => set((s) => ({ rail: clamp(rail, s.nowUs) })),
  setNeedle: (needleUs) => set({ needleUs }),
  setMarked: (marked) => set({ marked }),
  setPoints: (points) => set({ points }),
  setTheme: (theme) => {
    localStorage.setItem("halvik.theme", theme);
    set({ theme });
  },
  setZone: (zone) => {
    localStorage.setItem("halvik.zone", zone);
    set({ zone });
  },
  setChoosingTime: (choosingTime) => set({ choosingTime }),
  setLive: (live) =>
    set((s) => (live ? { live, window: { ...s.window, endUs: null }, rail: { ...s.rail, endUs: null } } : { live })),
  tick: (nowUs) => set({ nowUs }),
}));

/** These of what every page shares. Whoever asks for them is not drawn anew for the others: the clock goes on every second, the needle with the hand. */
export const useView = <Name extends keyof ViewState>(...names: Name[]): Pick<ViewState, Name> =>
  useViewStore(useShallow((s) => Object.fromEntries(names.map((name) => [name, s[name]])) as Pick<ViewState, Name>));

/** The clock as it stands where something is done; what shows it asks by a hook. */
export const presentUs = (): number => useViewStore.getState().nowUs;

/** [from, to) of a stretch, in µs. */
export function bounds(stretch: Stretch, nowUs: number): { fromUs: number; toUs: number } {
  const toUs = stretch.endUs ?? nowUs;
  return { fromUs: toUs - stretch.spanUs, toUs };
}

function clamp(stretch: Stretch, nowUs: number): Stretch {
  const spanUs = Math.min(Math.max(stretch.spanUs, LEAST_SPAN_US), MOST_SPAN_US);
  return { spanUs, endUs: stretch.endUs !== null && stretch.endUs >= nowUs ? null : stretch.endUs };
}

/** The rail moves only if the window would leave it. */
function railAround(rail: Stretch, window: Stretch, nowUs: number): Stretch {
  const r = bounds(rail, nowUs);
  const w = bounds(window, nowUs);
  if (w.fromUs >= r.fromUs && w.toUs <= r.toUs) return rail;
  const spanUs = Math.max(rail.spanUs, window.spanUs * 1.25);
  if (window.endUs === null) return { spanUs, endUs: null };
  return clamp({ spanUs, endUs: (w.fromUs + w.toUs) / 2 + spanUs / 2 }, nowUs);
}

/** Moves a stretch by a share of its span; into the future it becomes "follows the clock". */
export function shifted(stretch: Stretch, share: number, nowUs: number): Stretch {
  return clamp({ spanUs: stretch.spanUs, endUs: bounds(stretch, nowUs).toUs + stretch.spanUs * share }, nowUs);
}

/** Narrower or wider around its middle; one that follows the clock keeps its end. */
export function scaled(stretch: Stretch, factor: number, nowUs: number): Stretch {
  const spanUs = stretch.spanUs * factor;
  if (stretch.endUs === null) return clamp({ spanUs, endUs: null }, nowUs);
  return clamp({ spanUs, endUs: stretch.endUs - stretch.spanUs / 2 + spanUs / 2 }, nowUs);
}

/** ISO text of a moment, for the API. */
export const isoOf = (us: number): string => new Date(us / 1_000).toISOString();
export const usOf = (iso: string): number => {
  const fraction = /\.(\d{1,6})/.exec(iso)?.[1] ?? "0";
  return Math.floor(Date.parse(iso) / 1_000) * 1_000_000 + Number(fraction.padEnd(6, "0"));
};
