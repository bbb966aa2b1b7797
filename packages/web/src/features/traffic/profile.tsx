import type { TrafficAnswer } from "@halvik/contract/traffic";
import { type KeyboardEvent, type PointerEvent, useState } from "react";
import { useView, usOf } from "../../data/view-store";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { timeMarks } from "../../ui/time-marks";
import { useSize } from "../../ui/use-size";
import { LOG_DECADES, logPart, rateOf, sayRate, ticks } from "./amounts";
import type { Sentence } from "./asked";

/** How dark each band is: the greatest is the darkest. What has no band of its own is the lightest. */
export const WEIGHTS = [0.88, 0.62, 0.44, 0.31, 0.21] as const;
export const REST_WEIGHT = 0.12;

const LABELS = 50;
/** What the label of a tick takes. */
const TICK_ROOM = 66;
const FOOT = 34;
const LEAST_DRAG = 4;
/** A label at the very top stands whole. */
const LEAST_LABEL = 9;

interface ProfileProps {
  readonly answer: Pick<TrafficAnswer, "steps" | "sides" | "step" | "bands" | "capacity">;
  readonly sentence: Pick<Sentence, "measure" | "scale">;
  /** Goes to a stretch of time, so that going back undoes it. */
  readonly onGo: (fromUs: number, toUs: number) => void;
}

/** The course of traffic: time downward as on the rail, the newest on top; inbound to the right of the middle line, outbound to the left. */
export function Profile({ answer, sentence, onGo }: ProfileProps) {
  const { zone, needleUs, setNeedle } = useView("zone", "needleUs", "setNeedle");
  const [box, size] = useSize<HTMLDivElement>({ width: 440, height: 560 });
  const [dragged, setDragged] = useState<{ from: number; to: number } | null>(null);
  const { steps, sides, step, bands, capacity } = answer;
  const { measure } = sentence;
  const stepUs = step * 1e6;
  const fromUs = usOf(steps[0]!.from);
  const toUs = fromUs + steps.length * stepUs;
  const height = size.height - FOOT;
  const y = (us: number) => height - ((us - fromUs) / (toUs - fromUs)) * height;
  const at = (py: number) =>
    Math.max(0, Math.min(steps.length - 1, Math.floor(((height - py) / height) * steps.length)));
  const rate = (n: number) => rateOf(n, measure, step);
  const line = measure === "bytes" ? capacity : null;
  const highest = Math.max(...steps.flatMap((s) => [...s.whole, ...s.weekBefore]).map(rate));
  // the line of what it carries is drawn where that tells something
  const showsLine = line !== null && line <= highest * 4;
  const most = Math.max(1, highest, showsLine ? line : 0) * 1.04;
  const room = (size.width - LABELS) / sides;
  const middle = sides === 2 ? LABELS + room : LABELS;
  const part = (r: number) => (sentence.scale === "log" ? logPart(r, most) : r / most);
  const length = (n: number) => part(rate(n)) * room;
  const bar = height / steps.length;
  const marks =
    sentence.scale === "log"
      ? Array.from({ length: LOG_DECADES }, (_, i) => 10 ** (Math.floor(Math.log10(most)) - i)).filter(
          (t) => part(t) > 0.12,
        )
      : ticks(most, Math.max(2, Math.min(sides === 2 ? 3 : 5, Math.floor(room / TICK_ROOM))));
  const hovered =
    needleUs !== null && needleUs >= fromUs && needleUs < toUs ? Math.floor((needleUs - fromUs) / stepUs) : null;
  const busiest = steps.reduce((best, s, i) => (Math.max(...s.whole) > Math.max(...steps[best]!.whole) ? i : best), 0);
  const shown = steps[hovered ?? busiest]!;
  const place = (e: PointerEvent) => e.clientY - e.currentTarget.getBoundingClientRect().top;
  const goTo = (a: number, b: number) => onGo(fromUs + Math.min(a, b) * stepUs, fromUs + (Math.max(a, b) + 1) * stepUs);
  const onKey = (e: KeyboardEvent) => {
    const now = hovered ?? busiest;
    const to = {
      ArrowUp: now + 1,
      ArrowDown: now - 1,
      PageUp: now + 12,
      PageDown: now - 12,
      Home: steps.length - 1,
      End: 0,
    }[e.key];
    if (to !== undefined) setNeedle(fromUs + (Math.max(0, Math.min(steps.length - 1, to)) + 0.5) * stepUs);
    else if (e.key === "Enter") goTo(now, now);
    else return;
    e.preventDefault();
  };
  return (
    <figure className="m-0 flex min-h-0 flex-1 flex-col" aria-label="The course of traffic">
      <figcaption className="flex min-h-5 flex-wrap gap-x-3 text-small text-quiet" aria-live="polite">
        <span className="text-ink">
          {hovered === null ? "busiest " : ""}
          {dayMinute(usOf(shown.from), zone)}
        </span>
        {shown.whole.map((n, side) => (
          <span key={side}>
            {sides === 2 ? ["in ", "out "][side] : ""}
            <b className="text-ink">{sayRate(rate(n), measure)}</b>
            {line !== null && n > 0 && ` · ${percent(rate(n) / line)} of what it carries`}
          </span>
        ))}
        {hovered !== null && shown.weekBefore.some((n) => n > 0) && (
          <span>a week before {shown.weekBefore.map((n) => sayRate(rate(n), measure)).join(" · ")}</span>
        )}
      </figcaption>
      <div ref={box} className="min-h-64 flex-1">
        <div
          role="slider"
          tabIndex={0}
          aria-label="Time on the course of traffic; enter goes there"
          aria-orientation="vertical"
          aria-valuemin={0}
          aria-valuemax={steps.length - 1}
          aria-valuenow={hovered ?? busiest}
          aria-valuetext={`${dayMinute(usOf(shown.from), zone)}, ${shown.whole.map((n) => sayRate(rate(n), measure)).join(", ")}`}
          className="touch-none select-none"
          onKeyDown={onKey}
          onPointerMove={(e) => {
            setNeedle(fromUs + (at(place(e)) + 0.5) * stepUs);
            if (dragged !== null) setDragged({ ...dragged, to: place(e) });
          }}
          onPointerLeave={() => setNeedle(null)}
          onPointerDown={(e) => {
            e.currentTarget.setPointerCapture?.(e.pointerId);
            setDragged({ from: place(e), to: place(e) });
          }}
          onPointerCancel={() => setDragged(null)}
          onPointerUp={(e) => {
            if (dragged === null) return;
            setDragged(null);
            const to = place(e);
            if (Math.abs(to - dragged.from) < LEAST_DRAG) goTo(at(to), at(to));
            else goTo(at(dragged.from), at(to));
          }}
        >
          <svg width={size.width} height={size.height} aria-hidden className="block">
            {marks.map((t) =>
              Array.from({ length: sides }, (_, side) => {
                const x = middle + (side === 0 ? 1 : -1) * part(t) * room;
                return (
                  <g key={`${t} ${side}`}>
                    <path d={`M${x} 0V${height}`} stroke="var(--line)" />
                    <text
                      x={x}
                      y={height + 13}
                      textAnchor={x > size.width - 34 ? "end" : "middle"}
                      className="fill-quiet text-micro"
                    >
                      {sayRate(t, measure)}
                    </text>
                  </g>
                );
              }),
            )}
            {sides === 2 && (
              <>
                <text x={LABELS} y={height + 27} className="fill-quiet text-micro">
                  ← out
                </text>
                <text x={size.width} y={height + 27} textAnchor="end" className="fill-quiet text-micro">
                  in →
                </text>
              </>
            )}
            <text x={middle} y={height + 27} textAnchor="middle" className="fill-quiet text-micro">
              {sentence.scale === "log" ? "logarithmic" : ""}
            </text>
            {steps.map((s, i) => {
              const top = height - (i + 1) * bar;
              const thick = Math.max(0.7, bar - (bar > 2.5 ? 0.8 : 0));
              return s.whole.map((whole, side) => {
                const sign = side === 0 ? 1 : -1;
                let sum = 0;
                const pieces = [
                  ...(s.bands[side] ?? []),
                  Math.max(0, whole - (s.bands[side] ?? []).reduce((a, b) => a + b, 0)),
                ];
                return pieces.map((n, band) => {
                  const before = length(sum);
                  sum += n;
                  const wide = length(sum) - before;
                  if (wide < 0.1) return null;
                  return (
                    <rect
                      key={`${s.from} ${side} ${band}`}
                      x={sign > 0 ? middle + before : middle - before - wide}
                      y={top}
                      width={wide}
                      height={thick}
                      fill="var(--ink)"
                      opacity={
                        bands.length === 0 ? 0.5 : (WEIGHTS[band < bands.length ? band : WEIGHTS.length] ?? REST_WEIGHT)
                      }
                    />
                  );
                });
              });
            })}
            {Array.from({ length: sides }, (_, side) => (
              <path
                key={side}
                d={outline(
                  steps.map((s) => length(s.weekBefore[side] ?? 0)),
                  middle,
                  side === 0 ? 1 : -1,
                  height,
                  bar,
                )}
                fill="none"
                stroke="var(--fjord)"
                strokeDasharray="3 2"
              />
            ))}
            {showsLine &&
              Array.from({ length: sides }, (_, side) => (
                <path
                  key={side}
                  d={`M${middle + (side === 0 ? 1 : -1) * part(line) * room} 0V${height}`}
                  stroke="var(--ochre)"
                  strokeDasharray="6 3"
                />
              ))}
            <path d={`M${middle} 0V${height}`} stroke="var(--ink)" />
            {timeMarks(fromUs, toUs, zone).map(({ us, text }) => (
              <text
                key={us}
                x={LABELS - 8}
                y={Math.max(LEAST_LABEL, y(us) + 3)}
                textAnchor="end"
                className="fill-quiet text-micro"
              >
                {text}
              </text>
            ))}
            {dragged !== null && (
              <rect
                x={LABELS}
                width={size.width - LABELS}
                y={Math.min(dragged.from, dragged.to)}
                height={Math.abs(dragged.to - dragged.from)}
                fill="var(--fjord)"
                opacity={0.15}
              />
            )}
            {hovered !== null && (
              <path
                d={`M${LABELS} ${y(fromUs + (hovered + 0.5) * stepUs)}H${size.width}`}
                stroke="var(--vermilion)"
                strokeWidth={0.8}
              />
            )}
          </svg>
        </div>
      </div>
      <p className="sr-only">{bands.map((b) => safeText(b)).join(", ")}</p>
    </figure>
  );
}

const percent = (part: number): string => `${part < 0.1 ? (100 * part).toFixed(1) : Math.round(100 * part)} %`;

/** Where there was something a week before: a line along the ends of its bars. Of steps about which nothing is known it says nothing. */
function outline(lengths: readonly number[], middle: number, sign: 1 | -1, height: number, bar: number): string {
  return lengths
    .map((n, i) => {
      if (n <= 0) return "";
      const goesOn = (lengths[i - 1] ?? 0) > 0;
      return `${goesOn ? "L" : "M"}${(middle + sign * n).toFixed(1)} ${(height - (i + 0.5) * bar).toFixed(1)}`;
    })
    .join("");
}
