import type { IncidentDetail } from "@halvik/contract/incidents";
import { useViewStore, usOf } from "../../data/view-store";
import { safeText } from "../../ui/safe-text";
import { clock, day, dayMinute } from "../../ui/time";
import { arrowsOf, evidenceOf, lanesOf, names } from "./lane-choice";
import { ruleWindow } from "./rule-window";

const LANE_PX = 54;
/** Headings stand in three rows by turns, so that each has the room of three lanes. */
const LABEL_ROWS = 3;
const LABEL_MOST = 30;
const LEFT = 72;
const TOP = 62;
const HEIGHT = 430;
const TICKS = 8;
/** Arrows closer than this, in pixels, are one. */
const ARROWS_APART = 9;

/** One column per thing that tells most, time downward, newest on top like the rail: marks where evidence names it, arrows from who to whom. */
export function Lanes({ detail }: { detail: IncidentDetail }) {
  const { zone, setNeedle, setWindow } = useViewStore();
  const records = evidenceOf(detail);
  const lanes = lanesOf(detail);
  if (records.length === 0 || lanes.length === 0) return null;
  const fromUs = usOf(records[0]!.time);
  const toUs = Math.max(usOf(records[records.length - 1]!.time), fromUs + 1_000_000);
  const room = HEIGHT - TOP - 14;
  const y = (us: number) => TOP + ((toUs - us) / (toUs - fromUs)) * room;
  const x = (lane: number) => LEFT + LANE_PX / 2 + lane * LANE_PX;
  const severalDays = day(fromUs, zone) !== day(toUs, zone);
  const width = LEFT + lanes.length * LANE_PX + LANE_PX / 2;
  const arrows = arrowsOf(records, lanes, ((toUs - fromUs) / room) * ARROWS_APART);
  const met = ruleWindow(detail);
  const more = detail.incident.entities.length - lanes.length;
  return (
    <figure className="m-0">
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label="Evidence by what it names over time, with arrows from who to whom"
        onMouseLeave={() => setNeedle(null)}
      >
        {Array.from({ length: TICKS }, (_, i) => toUs - ((toUs - fromUs) * i) / (TICKS - 1)).map((us) => (
          <g key={us}>
            <text x={LEFT - 8} y={y(us) + 4} textAnchor="end" fontSize={11} fill="var(--quiet)" className="font-mono">
              {(severalDays ? dayMinute : clock)(us, zone)}
            </text>
            <path d={`M${LEFT} ${y(us)}H${width}`} stroke="var(--line)" strokeDasharray="1 4" />
          </g>
        ))}
        {met !== null && (
          <path
            d={`M${LEFT + 6} ${y(Math.max(met.fromUs, fromUs)) + 3}h-6V${y(Math.min(Math.max(met.toUs, fromUs), toUs)) - 3}h6`}
            fill="none"
            stroke="var(--fjord)"
            strokeWidth={1.6}
            strokeDasharray="3 2"
          >
            <title>{safeText(met.says)}</title>
          </path>
        )}
        {lanes.map((lane, i) => {
          const label = lane.value.length > LABEL_MOST ? `${lane.value.slice(0, LABEL_MOST - 1)}…` : lane.value;
          return (
            <g key={lane.field + lane.value}>
              <text
                x={x(i)}
                y={12 + (i % LABEL_ROWS) * 16}
                textAnchor="middle"
                fontSize={11.5}
                fill="var(--ink)"
                className="font-mono"
              >
                {safeText(label)}
                <title>{`${lane.field} ${lane.value}`}</title>
              </text>
              <path d={`M${x(i)} ${18 + (i % LABEL_ROWS) * 16}V${HEIGHT - 6}`} stroke="var(--line-strong)" />
              {records
                .filter((r) => names(r, lane.value))
                .map((r) => (
                  // biome-ignore lint/a11y/noStaticElementInteractions: the same moments are reached by keyboard in the evidence below
                  <rect
                    key={r.id}
                    x={x(i) - 7}
                    y={y(usOf(r.time)) - 1.5}
                    width={14}
                    height={3}
                    fill={r.outcome === "success" ? "var(--ink)" : "var(--ochre)"}
                    onMouseEnter={() => setNeedle(usOf(r.time))}
                    onClick={() => setWindow({ spanUs: 240e6, endUs: usOf(r.time) + 120e6 })}
                  />
                ))}
            </g>
          );
        })}
        {arrows.map((a) => {
          const middle = (y(a.fromUs) + y(a.toUs)) / 2;
          const colour = a.worked ? "var(--vermilion)" : "var(--ochre)";
          const said = `${lanes[a.from]!.value} → ${lanes[a.to]!.value}${a.count === 1 ? "" : `, ${a.count} times`}${a.worked ? "" : ", refused"}`;
          return (
            <g key={`${a.from} ${a.to} ${a.fromUs} ${a.worked}`} pointerEvents="visiblePainted">
              <path d={`M${x(a.from)} ${middle}H${x(a.to)}`} stroke={colour} strokeWidth={1.5} />
              <circle cx={x(a.from)} cy={middle} r={3.5} fill={colour} />
              <circle cx={x(a.to)} cy={middle} r={3.5} fill="var(--paper)" stroke={colour} strokeWidth={1.5} />
              <title>{safeText(said)}</title>
            </g>
          );
        })}
      </svg>
      <figcaption className="text-code text-quiet">
        ● who → ○ whom; ochre: refused{met !== null && `; dashed: ${safeText(met.says)}`}
        {more > 0 && ` · ${more} more named in the evidence`}
      </figcaption>
    </figure>
  );
}
