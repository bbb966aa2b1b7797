import type { LoadAnswer } from "@halvik/contract/load";
import { useViewStore, usOf } from "../../data/view-store";
import { day, dayMinute, minute } from "../../ui/time";
import { Tooltip } from "../../ui/tooltip";

const HEIGHT = 440;
const WIDTH = 150;
const LABELS = 46;
const MARKS = 8;

/** Alarms over time, downward as the rail, newest on top: severe ones as the solid head of each bar; floods behind them. */
export function LoadProfile({ answer, unit }: { answer: LoadAnswer; unit: string }) {
  const zone = useViewStore((s) => s.zone);
  const { steps, floods, stepSeconds } = answer;
  const most = Math.max(1, ...steps.map((s) => s.count));
  const stepUs = stepSeconds * 1e6;
  const fromUs = usOf(steps[0]?.from ?? new Date(0).toISOString());
  const toUs = fromUs + steps.length * stepUs;
  const y = (us: number) => HEIGHT - ((us - fromUs) / (toUs - fromUs)) * HEIGHT;
  const bar = HEIGHT / Math.max(1, steps.length);
  const x = (n: number) => (n / most) * (WIDTH - LABELS);
  // of days their beginnings, else so many that they can be read
  const beginnings = steps.filter((s) => minute(usOf(s.from), zone) === "00:00");
  const marked = beginnings.length > 1 ? beginnings : steps;
  const marks = marked.filter((_, i) => i % Math.max(1, Math.ceil(marked.length / MARKS)) === 0);
  return (
    <figure className="m-0">
      <figcaption className="text-small text-quiet">
        {unit} in {stepSeconds === 600 ? "10 minutes" : stepSeconds === 3_600 ? "an hour" : "a day"}, most {most}
      </figcaption>
      <svg
        width={WIDTH}
        height={HEIGHT}
        role="img"
        aria-label={`${unit} over time, the newest on top`}
        className="block"
      >
        {floods.map((f) => (
          <rect
            key={f.from}
            x={LABELS}
            width={WIDTH - LABELS}
            y={y(usOf(f.to))}
            height={Math.max(2, y(usOf(f.from)) - y(usOf(f.to)))}
            fill="var(--vermilion)"
            opacity={0.15}
          />
        ))}
        {steps.map((s) => {
          const top = y(usOf(s.from) + stepUs);
          return (
            <g key={s.from}>
              <rect
                x={LABELS}
                y={top}
                width={x(s.count)}
                height={Math.max(0.6, bar - 0.6)}
                fill="var(--ink)"
                opacity={0.3}
              />
              <rect x={LABELS} y={top} width={x(s.severe)} height={Math.max(0.6, bar - 0.6)} fill="var(--ink)" />
            </g>
          );
        })}
        {marks.map((s) => (
          <text key={s.from} x={LABELS - 4} y={y(usOf(s.from)) - 1} textAnchor="end" className="fill-quiet text-[10px]">
            {beginnings.length > 1 ? day(usOf(s.from), zone) : minute(usOf(s.from), zone)}
          </text>
        ))}
        <path d={`M${LABELS} 0V${HEIGHT}`} stroke="var(--line-strong)" />
      </svg>
      {floods.length > 0 && (
        <ul className="mt-1 w-[150px] text-small">
          {floods.slice(0, 4).map((f) => (
            <li key={f.from}>
              <Tooltip text="A flood begins with more than 10 in 10 minutes and is over with fewer than 5">
                <span className="text-vermilion">
                  {f.alarms} from {dayMinute(usOf(f.from), zone)}
                </span>
              </Tooltip>
            </li>
          ))}
        </ul>
      )}
    </figure>
  );
}
