import type { IncidentDetail } from "@halvik/contract";
import { useViewStore, usOf } from "../../data/view-store";
import { safeText } from "../../ui/safe-text";
import { clock, day, dayMinute } from "../../ui/time";

const LANES_MOST = 5;
const LANE_PX = 84;
/** Headings stand in two rows by turns, so that each has the room of two lanes. */
const LABEL_MOST = 22;
const LEFT = 92;
const TOP = 44;
const HEIGHT = 330;
const TICKS = 6;

/** One column per entity, time downward, newest on top like the rail: a mark where evidence that names it fell. */
export function Lanes({ detail: { incident, findings } }: { detail: IncidentDetail }) {
  const { zone, setNeedle, setWindow } = useViewStore();
  const records = findings.flatMap((f) => f.evidence);
  const entities = incident.entities
    .filter((e, i, all) => all.findIndex((o) => o.value === e.value) === i)
    .slice(0, LANES_MOST);
  if (records.length === 0 || entities.length === 0) return null;
  const fromUs = Math.min(...records.map((r) => usOf(r.time)));
  const toUs = Math.max(...records.map((r) => usOf(r.time)), fromUs + 1_000_000);
  const y = (us: number) => TOP + ((toUs - us) / (toUs - fromUs)) * (HEIGHT - TOP - 14);
  const severalDays = day(fromUs, zone) !== day(toUs, zone);
  const width = LEFT + entities.length * LANE_PX;
  const names = (r: (typeof records)[number], value: string) =>
    r.sender.name === value ||
    r.src === value ||
    r.dst === value ||
    r.interface === value ||
    r.host === value ||
    (r.users ?? []).includes(value) ||
    (r.otherAddresses ?? []).includes(value);
  const more = incident.entities.length - entities.length;
  return (
    <figure className="m-0">
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label="Evidence by entity over time"
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
        {entities.map((e, i) => {
          const x = LEFT + LANE_PX / 2 + i * LANE_PX;
          const label = e.value.length > LABEL_MOST ? `${e.value.slice(0, LABEL_MOST - 1)}…` : e.value;
          return (
            <g key={e.field + e.value}>
              <text
                x={x}
                y={i % 2 === 0 ? 12 : 28}
                textAnchor="middle"
                fontSize={11.5}
                fill="var(--ink)"
                className="font-mono"
              >
                {safeText(label)}
                <title>{`${e.field} ${e.value}`}</title>
              </text>
              <path d={`M${x} 34V${HEIGHT - 6}`} stroke="var(--line-strong)" />
              {records
                .filter((r) => names(r, e.value))
                .map((r) => (
                  // biome-ignore lint/a11y/noStaticElementInteractions: the same moments are reached by keyboard in the evidence below
                  <rect
                    key={r.id}
                    x={x - 7}
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
      </svg>
      {more > 0 && <figcaption className="text-code text-quiet">{more} more named in the evidence</figcaption>}
    </figure>
  );
}
