import type { IncidentJson } from "@halvik/contract/incidents";
import type { HistogramAnswer } from "@halvik/contract/records";
import { SEVERITIES } from "@halvik/core/model/record";
import { useQuery } from "@tanstack/react-query";
import { type PointerEvent as ReactPointerEvent, useEffect, useLayoutEffect, useRef, useState } from "react";
import { createPortal } from "react-dom";
import { useLocation, useNavigate } from "react-router";
import { histogramQuery, incidentsQuery } from "../data/api";
import {
  bounds,
  DEFAULT_RAIL_US,
  DEFAULT_WINDOW_US,
  isoOf,
  type Stretch,
  scaled,
  useView,
  useViewStore,
  usOf,
} from "../data/view-store";
import { comparedWindow, readComparison } from "../shared/compared-window";
import { safeText } from "../ui/safe-text";
import { dayMinute, minute } from "../ui/time";
import { timeMarks } from "../ui/time-marks";

const WIDTH = 100;
const TOP = 14;
const BOTTOM = 14;
const BAR_LEFT = 36;
const BAR_MOST = 54;
const BUCKETS = 126;
const STEP_US = 5_000_000;
const KEY_STEPS = 60;
const ROUND_STEPS_US = [1, 5, 10, 30, 60, 300, 600, 1_800, 3_600, 7_200, 14_400, 43_200, 86_400, 172_800, 604_800].map(
  (s) => s * 1e6,
);

/** What a key of a handle does. Time runs downward: up is later. */
type Step = "later" | "earlier" | "much later" | "much earlier" | "start" | "end";
const STEP_BY_KEY: Readonly<Record<string, Step>> = {
  ArrowUp: "later",
  ArrowRight: "later",
  ArrowDown: "earlier",
  ArrowLeft: "earlier",
  PageUp: "much later",
  PageDown: "much earlier",
  Home: "start",
  End: "end",
};
const PAGE_STEPS = 10;
const LEAST_US = 10_000_000;
/** The greatest step of round moments that is no more than this. */
const roundStep = (us: number): number => [...ROUND_STEPS_US].reverse().find((s) => s <= us) ?? ROUND_STEPS_US[0]!;

/** The time rail: time runs downward, newest on top; bars from rollups, incidents as brackets, the window with its handles. */
export function TimeRail() {
  const box = useRef<HTMLElement>(null);
  const [height, setHeight] = useState(600);
  const { rail, window, zone, needleUs, marked, points, setWindow, setRail, setNeedle } = useView(
    "rail",
    "window",
    "zone",
    "needleUs",
    "marked",
    "points",
    "setWindow",
    "setRail",
    "setNeedle",
  );
  const nowUs = useViewStore((s) => Math.ceil(s.nowUs / STEP_US) * STEP_US);
  const { fromUs, toUs } = bounds(rail, nowUs);
  const chosen = bounds(window, nowUs);
  const parts = { from: isoOf(fromUs), to: isoOf(toUs) };
  const counts = useQuery(histogramQuery(parts, BUCKETS, "", zone, "buckets", false));
  const incidents = useQuery(incidentsQuery("all", parts));
  const navigate = useNavigate();
  // on Records, how what the filter matches lies in time
  const { pathname, search } = useLocation();
  const filter = pathname === "/records" ? (new URLSearchParams(search).get("filter") ?? "") : "";
  // a filter may have to be counted record by record: asked anew when a bar is over, not every few seconds
  const barUs = Math.max(STEP_US, (toUs - fromUs) / BUCKETS);
  const barsTo = Math.ceil(toUs / barUs) * barUs;
  const matches = useQuery({
    ...histogramQuery(
      { from: isoOf(barsTo - (toUs - fromUs)), to: isoOf(barsTo) },
      BUCKETS,
      filter,
      zone,
      "buckets",
      false,
    ),
    enabled: filter !== "",
  });
  // beside another window: its counts as an outline over this one's
  const comparison = pathname === "/records" ? readComparison(new URLSearchParams(search).get("compare")) : null;
  const followed = window.endUs === null ? Math.ceil(chosen.toUs / barUs) * barUs - chosen.toUs : 0;
  const other =
    comparison === null
      ? null
      : comparedWindow(comparison, { fromUs: chosen.fromUs + followed, toUs: chosen.toUs + followed }, zone);
  const otherBuckets = Math.max(1, Math.round((BUCKETS * (chosen.toUs - chosen.fromUs)) / (toUs - fromUs)));
  const compared = useQuery({
    ...histogramQuery(
      { from: isoOf(other?.fromUs ?? 0), to: isoOf(other?.toUs ?? 1) },
      otherBuckets,
      filter,
      zone,
      "buckets",
      false,
    ),
    enabled: other !== null,
  });
  const [pointedUs, setPointedUs] = useState<number | null>(null);
  useLayoutEffect(() => {
    const observer = new ResizeObserver(([entry]) => setHeight(entry!.contentRect.height));
    observer.observe(box.current!);
    return () => observer.disconnect();
  }, []);
  const yOf = (us: number) => TOP + ((toUs - us) / (toUs - fromUs)) * (height - TOP - BOTTOM);
  const usAt = (y: number) =>
    toUs - (Math.min(Math.max(y - TOP, 0), height - TOP - BOTTOM) / (height - TOP - BOTTOM)) * (toUs - fromUs);
  const choose = (a: number, b: number) => {
    const [from, to] = a < b ? [a, b] : [b, a];
    // dragged to the top edge, the window follows the clock
    const follows = rail.endUs === null && to >= toUs - (toUs - fromUs) * 0.004;
    setWindow({ spanUs: to - from, endUs: follows ? null : to });
  };
  const drag = useDrag(box, usAt, choose, chosen);
  /** An edge after a key: to the next round moment of the step, or to an end of the rail. */
  const stepped = (us: number, step: Step): number => {
    if (step === "start") return fromUs;
    if (step === "end") return toUs;
    const by = roundStep(window.spanUs / (step === "later" || step === "earlier" ? KEY_STEPS : PAGE_STEPS));
    const forward = step === "later" || step === "much later";
    return Math.min(toUs, Math.max(fromUs, forward ? (Math.floor(us / by) + 1) * by : (Math.ceil(us / by) - 1) * by));
  };

  // wheel zooms around the pointer; React's own wheel listener cannot prevent scrolling
  const zoom = useRef<(e: WheelEvent) => void>(() => undefined);
  zoom.current = (e) => {
    e.preventDefault();
    const factor = e.deltaY > 0 ? 1.25 : 0.8;
    const at = usAt(e.clientY - box.current!.getBoundingClientRect().top);
    const next: Stretch =
      rail.endUs === null && at > toUs - (toUs - fromUs) * 0.2
        ? scaled(rail, factor, nowUs)
        : { spanUs: rail.spanUs * factor, endUs: at + (toUs - at) * factor };
    setRail(next);
  };
  useEffect(() => {
    const element = box.current!;
    const listener = (e: WheelEvent) => zoom.current(e);
    element.addEventListener("wheel", listener, { passive: false });
    return () => element.removeEventListener("wheel", listener);
  }, []);

  const buckets = counts.data?.buckets ?? [];
  const countedFromUs = matches.data && !matches.data.exact ? usOf(matches.data.coveredFrom) : Number.NEGATIVE_INFINITY;
  const matching = filter === "" ? [] : (matches.data?.buckets ?? []).filter((b) => usOf(b.from) >= countedFromUs);
  const widthUs = (counts.data?.widthSeconds ?? 1) * 1e6;
  const most = Math.max(
    1,
    ...buckets.map((b) => b.count),
    ...(other === null ? [] : (compared.data?.buckets ?? []).map((b) => b.count)),
  );
  const barHeight = Math.max(1, (widthUs / (toUs - fromUs)) * (height - TOP - BOTTOM) - 1);
  return (
    <section
      ref={box}
      className="relative w-[100px] shrink-0 touch-none max-slim:hidden overflow-hidden border-r border-line-strong select-none"
      onPointerDown={drag.start}
      onPointerMove={(e) => {
        const us = usAt(e.clientY - e.currentTarget.getBoundingClientRect().top);
        setNeedle(us);
        setPointedUs(us);
      }}
      onPointerLeave={() => {
        setNeedle(null);
        setPointedUs(null);
      }}
      onDoubleClick={() => {
        setRail({ spanUs: DEFAULT_RAIL_US, endUs: null });
        setWindow({ spanUs: DEFAULT_WINDOW_US, endUs: null });
      }}
      aria-label="Time rail"
    >
      <svg width={WIDTH} height={height} aria-hidden="true" className="block">
        {buckets.map((b) => {
          const us = usOf(b.from);
          const y = yOf(us + widthUs);
          const inWindow = us + widthUs > chosen.fromUs && us < chosen.toUs;
          // the square root keeps quiet hours visible beside a storm
          const w = Math.sqrt(b.count / most) * BAR_MOST;
          const errors = Math.sqrt(b.errors / most) * BAR_MOST;
          return (
            <g key={b.from}>
              <rect x={BAR_LEFT} y={y} width={w} height={barHeight} fill="var(--ink)" opacity={inWindow ? 0.3 : 0.13} />
              <rect
                x={BAR_LEFT}
                y={y}
                width={Math.min(w, errors)}
                height={barHeight}
                fill={b.errors > b.count * 0.2 ? "var(--vermilion)" : "var(--ink)"}
                opacity={inWindow ? 0.95 : 0.5}
              />
            </g>
          );
        })}
        {matching.map((b) => (
          <rect
            key={b.from}
            x={BAR_LEFT}
            y={yOf(usOf(b.from) + widthUs)}
            width={Math.max(b.count > 0 ? 2 : 0, Math.sqrt(b.count / most) * BAR_MOST)}
            height={barHeight}
            fill="var(--fjord)"
          />
        ))}
        {other !== null && compared.data && (
          <path
            d={outline(
              compared.data,
              chosen.fromUs + followed - other.fromUs,
              chosen,
              (us) => yOf(us),
              (count) => BAR_LEFT + Math.sqrt(count / most) * BAR_MOST,
            )}
            fill="none"
            stroke="var(--ink)"
            strokeWidth={1}
            strokeDasharray="2 1.5"
            data-testid="compared-outline"
          />
        )}
        {timeMarks(fromUs, toUs, zone).map(({ us, text, unit, begins }) => (
          <text
            key={us}
            x={32}
            y={yOf(us) + 4}
            textAnchor="end"
            fontSize={text.length > 5 ? 9 : text.length > 4 ? 9.5 : 10.5}
            fill={begins ? "var(--ink)" : "var(--quiet)"}
            fontWeight={begins ? 600 : 400}
            className={begins ? "" : "font-mono"}
          >
            {unit === "hour" && !begins ? text.slice(0, 2) : text}
          </text>
        ))}
        {(incidents.data?.incidents ?? []).map((i) => {
          const top = yOf(Math.min(toUs, i.ended === null ? nowUs : usOf(i.ended)));
          const bottom = yOf(Math.max(fromUs, usOf(i.first)));
          const worst = SEVERITIES.indexOf(i.severity as (typeof SEVERITIES)[number]) <= 3;
          return (
            // biome-ignore lint/a11y/noStaticElementInteractions: a way for the pointer; by keyboard the queue leads there
            <g
              key={i.id}
              className="cursor-pointer"
              onPointerDown={(e) => e.stopPropagation()}
              onClick={() => navigate(`/incidents/${i.id}`)}
            >
              <path d={`M96 ${Math.max(bottom, top + 2)}V${top}`} strokeWidth={8} stroke="transparent" />
              <path
                d={`M98 ${Math.max(bottom, top + 2)}h-4V${top}h4`}
                fill="none"
                strokeWidth={1.6}
                stroke={worst ? "var(--vermilion)" : "var(--ochre)"}
                opacity={i.state === "open" ? 1 : 0.55}
              />
            </g>
          );
        })}
        <rect
          x={BAR_LEFT - 2}
          y={yOf(chosen.toUs)}
          width={60}
          height={Math.max(1, yOf(chosen.fromUs) - yOf(chosen.toUs))}
          fill="var(--fjord)"
          opacity={0.07}
        />
        {points.some((us) => us >= fromUs && us < toUs) && (
          <g fill="var(--fjord)">
            <title>what the rehearsal raises</title>
            {points
              .filter((us) => us >= fromUs && us < toUs)
              .map((us, i) => (
                <path key={`${i} ${us}`} d={`M${BAR_LEFT - 3} ${yOf(us)}l-6 -3v6z`} />
              ))}
          </g>
        )}
        {marked !== null && marked.toUs > fromUs && marked.fromUs < toUs && (
          <path
            d={`M${BAR_LEFT + 7} ${yOf(Math.max(marked.fromUs, fromUs))}h-6V${yOf(Math.min(marked.toUs, toUs)) - 2}h6`}
            fill="none"
            stroke="var(--fjord)"
            strokeWidth={1.6}
            strokeDasharray="3 2"
          >
            <title>{safeText(marked.says)}</title>
          </path>
        )}
        {needleUs !== null && <path d={`M0 ${yOf(needleUs)}h${WIDTH}`} stroke="var(--vermilion)" strokeWidth={0.8} />}
      </svg>
      <Handle
        label="Window ends"
        us={chosen.toUs}
        y={yOf(chosen.toUs)}
        zone={zone}
        onMove={(step) => choose(chosen.fromUs, Math.max(stepped(chosen.toUs, step), chosen.fromUs + LEAST_US))}
      />
      <Handle
        label="Window begins"
        us={chosen.fromUs}
        y={yOf(chosen.fromUs)}
        zone={zone}
        onMove={(step) => choose(Math.min(stepped(chosen.fromUs, step), chosen.toUs - LEAST_US), chosen.toUs)}
      />
      {pointedUs !== null && (
        <Readout
          top={Math.min(Math.max(yOf(pointedUs) - 24, 4), height - 120)}
          bucket={buckets.find((b) => pointedUs >= usOf(b.from) && pointedUs < usOf(b.from) + widthUs)}
          matching={
            filter === "" || matches.data === undefined || pointedUs < countedFromUs
              ? null
              : (matching.find((b) => pointedUs >= usOf(b.from) && pointedUs < usOf(b.from) + widthUs)?.count ?? 0)
          }
          widthUs={widthUs}
          incidents={(incidents.data?.incidents ?? []).filter(
            (i) => usOf(i.first) <= pointedUs && (i.ended === null ? nowUs : usOf(i.ended)) >= pointedUs,
          )}
          zone={zone}
        />
      )}
    </section>
  );
}

/** Counts of another window as a stepped line over this one, from its newest to its oldest. */
function outline(
  { buckets, widthSeconds }: HistogramAnswer,
  shiftUs: number,
  within: { readonly fromUs: number; readonly toUs: number },
  yOf: (us: number) => number,
  xOf: (count: number) => number,
): string {
  const widthUs = widthSeconds * 1e6;
  const y = (us: number) => yOf(Math.min(Math.max(us, within.fromUs), within.toUs));
  let path = "";
  let downTo = Number.POSITIVE_INFINITY;
  for (const b of [...buckets].reverse()) {
    const us = usOf(b.from) + shiftUs;
    // no bucket, no records
    if (us + widthUs < downTo) path += `H${xOf(0)}`;
    path += `V${y(us + widthUs)}H${xOf(b.count)}V${y(us)}`;
    downTo = us;
  }
  return `M${xOf(0)} ${yOf(within.toUs)}${path}H${xOf(0)}`;
}

const NAMED_INCIDENTS = 3;

/** What the rail shows where the pointer is, in figures, and what its marks mean. */
function Readout({
  top,
  bucket,
  matching,
  widthUs,
  incidents,
  zone,
}: {
  top: number;
  bucket: HistogramAnswer["buckets"][number] | undefined;
  /** Records of the filter; null: there is none, or they are not counted so far back. */
  matching: number | null;
  widthUs: number;
  incidents: readonly IncidentJson[];
  zone: string;
}) {
  if (bucket === undefined) return null;
  const fromUs = usOf(bucket.from);
  return createPortal(
    <div
      className="pointer-events-none fixed left-[104px] z-30 w-72 rounded-xs border border-line-strong bg-sheet px-3 py-1.5 text-small shadow-lg"
      style={{ top: top + (document.querySelector('[aria-label="Time rail"]')?.getBoundingClientRect().top ?? 0) }}
    >
      <p className="font-semibold text-ui">
        {dayMinute(fromUs, zone)} – {minute(fromUs + widthUs, zone)}
      </p>
      <p>
        {bucket.count.toLocaleString("en")} records, {bucket.errors.toLocaleString("en")} error or worse
      </p>
      {matching !== null && <p className="text-fjord">{matching.toLocaleString("en")} match the filter</p>}
      {incidents.slice(0, NAMED_INCIDENTS).map((i) => (
        <p key={i.id} className="truncate">
          {safeText(i.title)}
        </p>
      ))}
      {incidents.length > NAMED_INCIDENTS && <p>{incidents.length - NAMED_INCIDENTS} more incidents</p>}
      <p className="mt-0.5 text-quiet">
        Bars: all records; dark: error or worse; right edge: incidents{matching === null ? "" : "; teal: the filter"}.
      </p>
    </div>,
    document.body,
  );
}

/** A window edge: dragged by pointer through the rail, moved by arrow keys as a slider. */
function Handle({
  label,
  us,
  y,
  zone,
  onMove,
}: {
  label: string;
  us: number;
  y: number;
  zone: string;
  onMove: (step: Step) => void;
}) {
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-orientation="vertical"
      aria-valuenow={Math.round(us / 1e6)}
      aria-valuetext={dayMinute(us, zone)}
      className="absolute left-[34px] h-3 w-[60px] -translate-y-1/2 cursor-ns-resize before:absolute before:top-1/2 before:h-[1.5px] before:w-full before:-translate-y-1/2 before:bg-fjord after:absolute after:top-1/2 after:left-[24px] after:h-[6px] after:w-[13px] after:-translate-y-1/2 after:border after:border-fjord after:bg-paper"
      style={{ top: y }}
      onKeyDown={(e) => {
        const step = STEP_BY_KEY[e.key];
        if (step === undefined) return;
        // its keys are its own: the page's would move a list
        e.preventDefault();
        e.stopPropagation();
        onMove(step);
      }}
    />
  );
}

/** Dragging on the rail: near an edge of the window moves that edge, elsewhere makes a new window. */
function useDrag(
  box: React.RefObject<HTMLElement | null>,
  usAt: (y: number) => number,
  choose: (a: number, b: number) => void,
  chosen: { fromUs: number; toUs: number },
) {
  const latest = useRef({ usAt, choose });
  latest.current = { usAt, choose };
  const start = (e: ReactPointerEvent<HTMLElement>) => {
    if (e.button !== 0) return;
    const top = box.current!.getBoundingClientRect().top;
    const startUs = usAt(e.clientY - top);
    const tolerance = Math.abs(usAt(0) - usAt(8));
    const anchor =
      Math.abs(startUs - chosen.toUs) < tolerance
        ? chosen.fromUs
        : Math.abs(startUs - chosen.fromUs) < tolerance
          ? chosen.toUs
          : startUs;
    const move = (m: PointerEvent) => {
      if (Math.abs(m.clientY - e.clientY) < 3) return;
      latest.current.choose(anchor, latest.current.usAt(m.clientY - top));
    };
    const end = () => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", end);
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", end);
  };
  return { start };
}
