import type { AnswersAnswer } from "@halvik/contract/traffic";
import { useId } from "react";
import { usOf } from "../../data/view-store";
import { dayMinute } from "../../ui/time";

type Service = AnswersAnswer["services"][number];

const WIDTH = 400;
/** Height of a step: of few, each has room for its time. */
const [ROW, WIDE_ROW, FEW] = [7, 12, 12];
const LABELS = 66;
const TIMES = 76;

/** What each class is drawn with: what went well lightly, what did not by ink and hatching. The last ones are failures. */
const FILLS: Readonly<Record<Service["service"], readonly string[]>> = {
  dns: ["light", "middle", "hatched", "open"],
  http: ["light", "middle", "dark", "hatched", "open"],
  tls: ["light", "middle", "dark", "hatched"],
};

/** The newest on top, as on the rail: in each step what was answered, side by side; beside it, where it is told, how long 95 % took. */
export function AnswersCourse({ service: s, stepUs, zone }: { service: Service; stepUs: number; zone: string }) {
  const hatch = useId();
  // from the first step that has something to the last: a capture is a short part of a day
  const numbers = s.steps.map((step) => numberOf(step, stepUs));
  const last = Math.max(...numbers);
  const rows = last - Math.min(...numbers) + 1;
  const row = rows <= FEW ? WIDE_ROW : ROW;
  const most = Math.max(1, ...s.steps.map((x) => x.counts.reduce((a, b) => a + b, 0)));
  const slowest = Math.max(...s.steps.map((x) => x.p95 ?? 0));
  const hasTimes = slowest > 0;
  const left = LABELS;
  const room = WIDTH - left - (hasTimes ? TIMES : 4);
  const fill = (name: string) => (name === "hatched" ? `url(#${hatch})` : name === "open" ? "none" : "var(--ink)");
  const opacity = (name: string) => (name === "light" ? 0.22 : name === "middle" ? 0.45 : name === "dark" ? 0.75 : 1);
  const every = rows <= FEW ? 1 : Math.ceil(rows / 8);
  return (
    <figure className="my-1">
      <svg
        viewBox={`0 0 ${WIDTH} ${rows * row + 4}`}
        role="img"
        aria-label={`${s.classes.join(", ")} over time; the figures are in the table`}
        className="block w-full max-w-[34rem]"
      >
        <defs>
          <pattern id={hatch} width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <rect width="4" height="4" fill="var(--paper)" />
            <rect width="2" height="4" fill="var(--ochre)" />
          </pattern>
        </defs>
        {Array.from({ length: Math.ceil(rows / every) }, (_, i) => i * every).map((n) => (
          <g key={n}>
            <text x={0} y={n * row + row / 2 + 3} fontSize="9" fill="var(--quiet)">
              {dayMinute((last - n) * stepUs, zone)}
            </text>
            <line x1={left} x2={WIDTH} y1={n * row} y2={n * row} stroke="var(--line)" strokeWidth="0.5" />
          </g>
        ))}
        {s.steps.map((step) => {
          const y = (last - numberOf(step, stepUs)) * row;
          let x = left;
          return (
            <g key={step.at}>
              <title>{saidOf(s, step, zone)}</title>
              {step.counts.map((n, i) => {
                const width = (n / most) * room;
                const at = x;
                x += width;
                const name = FILLS[s.service][i] ?? "dark";
                return n === 0 ? null : (
                  <rect
                    key={s.classes[i]}
                    x={at}
                    y={y + 0.5}
                    width={Math.max(0.8, width)}
                    height={row - 1}
                    fill={fill(name)}
                    fillOpacity={opacity(name)}
                    stroke={name === "open" ? "var(--ochre)" : "none"}
                    strokeWidth="0.8"
                  />
                );
              })}
              {step.p95 !== null && (
                <>
                  <line
                    x1={WIDTH - TIMES + 6 + ((step.p50 ?? 0) / slowest) * (TIMES - 8)}
                    x2={WIDTH - TIMES + 6 + (step.p95 / slowest) * (TIMES - 8)}
                    y1={y + row / 2}
                    y2={y + row / 2}
                    stroke="var(--ink)"
                    strokeOpacity="0.5"
                    strokeWidth="1.2"
                  />
                  <circle
                    cx={WIDTH - TIMES + 6 + (step.p95 / slowest) * (TIMES - 8)}
                    cy={y + row / 2}
                    r="1.6"
                    fill="var(--ink)"
                  />
                </>
              )}
            </g>
          );
        })}
      </svg>
      <figcaption className="flex flex-wrap gap-x-3 text-small text-quiet">
        {s.classes.map((name, i) => (
          <span key={name} className="flex items-center gap-1">
            <svg width="14" height="9" aria-hidden>
              <rect
                x="0.5"
                y="0.5"
                width="13"
                height="8"
                fill={fill(FILLS[s.service][i] ?? "dark")}
                fillOpacity={opacity(FILLS[s.service][i] ?? "dark")}
                stroke={FILLS[s.service][i] === "open" ? "var(--ochre)" : "none"}
              />
            </svg>
            {name}
          </span>
        ))}
        {hasTimes && (
          <span>right: half to 95 % of the answer times, up to {Math.round(slowest).toLocaleString("en")} ms</span>
        )}
      </figcaption>
    </figure>
  );
}

const numberOf = (step: Service["steps"][number], stepUs: number): number => Math.floor(usOf(step.at) / stepUs);

const saidOf = (s: Service, step: Service["steps"][number], zone: string): string =>
  [
    dayMinute(usOf(step.at), zone),
    ...s.classes.flatMap((name, i) => (step.counts[i] ? [`${name}: ${step.counts[i]?.toLocaleString("en")}`] : [])),
    ...(step.p95 === null ? [] : [`95 % within ${Number(step.p95.toPrecision(2))} ms`]),
  ].join("\n");
