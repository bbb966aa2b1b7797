import type { IncidentDetail } from "@halvik/contract/incidents";
import { useView, usOf } from "../../data/view-store";
import { LaneFrame } from "../../shared/lane-frame";
import { safeText } from "../../ui/safe-text";
import { arrowsOf, evidenceOf, lanesOf, names } from "./lane-choice";
import { ruleWindow } from "./rule-window";

const HEIGHT = 430;
/** Arrows closer than this, in pixels, are one. */
const ARROWS_APART = 9;

/** One column per thing that tells most, time downward, newest on top like the rail: marks where evidence names it, arrows from who to whom. */
export function Lanes({ detail }: { detail: IncidentDetail }) {
  const { setNeedle, setWindow } = useView("setNeedle", "setWindow");
  const records = evidenceOf(detail);
  const lanes = lanesOf(detail);
  if (records.length === 0 || lanes.length === 0) return null;
  const fromUs = usOf(records[0]!.time);
  const toUs = Math.max(usOf(records[records.length - 1]!.time), fromUs + 1_000_000);
  const met = ruleWindow(detail);
  const more = detail.incident.entities.length - lanes.length;
  return (
    <figure className="m-0">
      <LaneFrame
        label="Evidence by what it names over time, with arrows from who to whom"
        lanes={lanes}
        fromUs={fromUs}
        toUs={toUs}
        height={HEIGHT}
      >
        {({ x, y, left, usOfPixel }) => (
          <>
            {met !== null && (
              <path
                d={`M${left + 6} ${y(Math.max(met.fromUs, fromUs)) + 3}h-6V${y(Math.min(Math.max(met.toUs, fromUs), toUs)) - 3}h6`}
                fill="none"
                stroke="var(--fjord)"
                strokeWidth={1.6}
                strokeDasharray="3 2"
              >
                <title>{safeText(met.says)}</title>
              </path>
            )}
            {lanes.flatMap((lane, i) =>
              records
                .filter((r) => names(r, lane.value))
                .map((r) => (
                  // biome-ignore lint/a11y/noStaticElementInteractions: the same moments are reached by keyboard in the evidence below
                  <rect
                    key={`${lane.field} ${lane.value} ${r.id}`}
                    x={x(i) - 7}
                    y={y(usOf(r.time)) - 1.5}
                    width={14}
                    height={3}
                    fill={r.outcome === "success" ? "var(--ink)" : "var(--ochre)"}
                    onMouseEnter={() => setNeedle(usOf(r.time))}
                    onClick={() => setWindow({ spanUs: 240e6, endUs: usOf(r.time) + 120e6 })}
                  />
                )),
            )}
            {arrowsOf(records, lanes, usOfPixel * ARROWS_APART).map((a) => {
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
          </>
        )}
      </LaneFrame>
      <figcaption className="text-code text-quiet">
        ● who → ○ whom; ochre: refused{met !== null && `; dashed: ${safeText(met.says)}`}
        {more > 0 && ` · ${more} more named in the evidence`}
      </figcaption>
    </figure>
  );
}
