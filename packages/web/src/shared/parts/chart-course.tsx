import type { Measured } from "@halvik/contract/reports";
import { sayValue, type Unit } from "@halvik/core/report";
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import { useViewStore, usOf } from "../../data/view-store";
import { dayMinute } from "../../ui/time";
import { AxisWords } from "./axis-words";
import { timeAxis, valueAxis } from "./time-axis";

/** A figure over time, to the right; the period before as a paler line; broken where it is an estimate. Its values are in the table one key away. */
export function CourseChart({ measured: m, className }: { measured: Measured /** Its height. */; className: string }) {
  const zone = useViewStore((s) => s.zone);
  const unit = m.unit as Unit;
  // where records are counted, nothing is nothing, unless nobody listened; of other figures there is none
  const number = (v: number | string | null | undefined, isGap = false) =>
    v == null ? (m.addsUp && !isGap ? 0 : null) : Number(v);
  const points = m.steps.slice(0, -1).map((at, i) => ({
    at: usOf(at),
    value: number(m.total.steps[i], m.gaps.includes(i)),
    ...(m.stepsBefore.length > 0 ? { before: number(m.stepsBefore[i]) } : {}),
  }));
  const inTime = timeAxis(
    points.map((p) => p.at),
    usOf(m.steps[m.steps.length - 1]!) - usOf(m.steps[0]!),
    zone,
  );
  return (
    <div
      className={`relative ${className}`}
      role="img"
      aria-label={`${m.says} over time: most ${sayValue(mostOf(points), unit)}`}
    >
      <AxisWords unit={unit} zone={zone} />
      <ResponsiveContainer>
        <LineChart data={points} margin={{ top: 18, right: 12, bottom: 0, left: 6 }}>
          <CartesianGrid vertical={false} stroke="var(--line)" />
          <XAxis {...inTime} />
          <YAxis {...valueAxis(unit)} />
          <ReferenceLine y={0} stroke="var(--line-strong)" />
          <Tooltip
            isAnimationActive={false}
            content={({ active, payload }) => {
              const point = payload?.[0]?.payload as (typeof points)[number] | undefined;
              if (!active || point === undefined) return null;
              return (
                <div className="rounded-xs bg-ink px-2 py-1 text-small text-paper">
                  from {dayMinute(point.at, zone)}: <b>{sayValue(point.value, unit)}</b>
                  {"before" in point && <>, before {sayValue(point.before ?? null, unit)}</>}
                </div>
              );
            }}
          />
          {m.stepsBefore.length > 0 && (
            <Line
              dataKey="before"
              stroke="var(--line-strong)"
              strokeWidth={1.5}
              dot={false}
              isAnimationActive={false}
            />
          )}
          <Line
            dataKey="value"
            stroke="var(--ink)"
            strokeDasharray={m.total.exact ? undefined : "5 2"}
            strokeWidth={1.75}
            dot={points.length < 3}
            isAnimationActive={false}
          />
        </LineChart>
      </ResponsiveContainer>
    </div>
  );
}

const mostOf = (points: readonly { readonly value: number | null }[]): number =>
  Math.max(0, ...points.map((p) => p.value ?? 0));
