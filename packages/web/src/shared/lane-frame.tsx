import type { ReactNode } from "react";
import { useView } from "../data/view-store";
import { safeText } from "../ui/safe-text";
import { clock, day, dayMinute } from "../ui/time";
import { useSize } from "../ui/use-size";

/** Lanes stand so far apart where there is room, and no nearer than the least: what has more of them is scrolled. */
const LANE_PX = 54;
const LEAST_PX = 40;
/** Headings stand in three rows by turns, so that each has the room of three lanes. */
const LABEL_ROWS = 3;
const LABEL_MOST = 30;
const LABEL_CHARACTER = 7;
const LEFT = 72;
const TOP = 62;
const BELOW = 14;
const TICKS = 8;

/** Where things stand in the drawing: lanes by their number from the left, moments by µs. */
export interface LaneScale {
  readonly x: (lane: number) => number;
  readonly y: (us: number) => number;
  /** Left of the first lane, where what is of no lane stands. */
  readonly left: number;
  /** Microseconds of a pixel. */
  readonly usOfPixel: number;
}

interface LaneFrameProps {
  readonly label: string;
  readonly lanes: readonly { readonly field: string; readonly value: string }[];
  readonly fromUs: number;
  readonly toUs: number;
  readonly height: number;
  readonly children: (scale: LaneScale) => ReactNode;
}

/** Columns side by side, time downward, newest on top like the rail. */
export function LaneFrame({ label, lanes, fromUs, toUs, height, children }: LaneFrameProps) {
  const { zone, setNeedle } = useView("zone", "setNeedle");
  const room = height - TOP - BELOW;
  const y = (us: number) => TOP + ((toUs - us) / (toUs - fromUs)) * room;
  const [box, size] = useSize<HTMLDivElement>({ width: LEFT + (lanes.length + 0.5) * LANE_PX, height });
  const lanePx = Math.min(LANE_PX, Math.max(LEAST_PX, (size.width - LEFT) / (lanes.length + 0.5)));
  const x = (lane: number) => LEFT + lanePx / 2 + lane * lanePx;
  const severalDays = day(fromUs, zone) !== day(toUs, zone);
  const width = LEFT + lanes.length * lanePx + lanePx / 2;
  // a heading that would go over an edge is moved in: cut, an address would read as another
  const labelX = (lane: number, text: string) => Math.min(x(lane), width - (text.length * LABEL_CHARACTER) / 2);
  return (
    <div ref={box} className="w-full">
      <svg width={width} height={height} role="img" aria-label={label} onMouseLeave={() => setNeedle(null)}>
        {Array.from({ length: TICKS }, (_, i) => toUs - ((toUs - fromUs) * i) / (TICKS - 1)).map((us) => (
          <g key={us}>
            <text x={LEFT - 8} y={y(us) + 4} textAnchor="end" fontSize={11} fill="var(--quiet)" className="font-mono">
              {(severalDays ? dayMinute : clock)(us, zone)}
            </text>
            <path d={`M${LEFT} ${y(us)}H${width}`} stroke="var(--line)" strokeDasharray="1 4" />
          </g>
        ))}
        {lanes.map((lane, i) => (
          <g key={lane.field + lane.value}>
            <text
              x={labelX(i, shown(lane.value))}
              y={12 + (i % LABEL_ROWS) * 16}
              textAnchor="middle"
              fontSize={11.5}
              fill="var(--ink)"
              className="font-mono"
            >
              {safeText(shown(lane.value))}
              <title>{`${lane.field} ${lane.value}`}</title>
            </text>
            <path d={`M${x(i)} ${18 + (i % LABEL_ROWS) * 16}V${height - 6}`} stroke="var(--line-strong)" />
          </g>
        ))}
        {children({ x, y, left: LEFT, usOfPixel: (toUs - fromUs) / room })}
      </svg>
    </div>
  );
}

const shown = (value: string): string => (value.length > LABEL_MOST ? `${value.slice(0, LABEL_MOST - 1)}…` : value);
