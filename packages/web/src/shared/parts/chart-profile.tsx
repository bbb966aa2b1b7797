import type { Measured } from "@halvik/contract/reports";
import { bandsOf, sayValue, type Unit } from "@halvik/core/report";
import { useId } from "react";
import { Area, AreaChart, CartesianGrid, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import { useViewStore, usOf } from "../../data/view-store";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { AxisWords } from "./axis-words";
import { timeAxis, valueAxis } from "./time-axis";

/** The weight of the darkest band and of the palest. */
const [DARKEST, PALEST] = [0.85, 0.12];
const weightOf = (i: number, bands: number): number => DARKEST - ((DARKEST - PALEST) * i) / Math.max(1, bands - 1);

/** Bands over time, one upon the other, told apart by the weight of the ink and named beside it in their order; estimates are hatched. */
export function ProfileChart({ measured: m, className }: { measured: Measured /** Its height. */; className: string }) {
  const zone = useViewStore((s) => s.zone);
  const unit = m.unit as Unit;
  const bands = bandsOf(m);
  const hatch = useId();
  const points = m.steps.slice(0, -1).map((at, i) => ({
    at: usOf(at),
    all: m.total.steps[i] ?? null,
    ...Object.fromEntries(bands.map((b, n) => [`band${n}`, b.steps[i] ?? null])),
  }));
  const spanUs = usOf(m.steps[m.steps.length - 1]!) - usOf(m.steps[0]!);
  const inTime = timeAxis(
    points.map((p) => p.at),
    spanUs,
    zone,
  );
  if (bands.length === 0) return <p className="text-quiet">Nothing in this period.</p>;
  return (
    <div
      className={`flex gap-3 ${className}`}
      role="img"
      aria-label={`${m.says} over time: ${bands.map((b) => b.name).join(", ")}`}
    >
      <div className="relative min-w-0 flex-1">
        <AxisWords unit={unit} zone={zone} />
        <ResponsiveContainer>
          <AreaChart data={points} margin={{ top: 18, right: 4, bottom: 0, left: 6 }}>
            <defs>
              <pattern id={hatch} width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
                <rect width="2" height="4" fill="var(--ink)" />
              </pattern>
            </defs>
            <CartesianGrid vertical={false} stroke="var(--line)" />
            <XAxis {...inTime} />
            <YAxis {...valueAxis(unit)} />
            <Tooltip
              isAnimationActive={false}
              content={({ active, payload }) => {
                const point = payload?.[0]?.payload as Record<string, number | null> | undefined;
                if (!active || point === undefined) return null;
                return (
                  <div className="rounded-xs bg-ink px-2 py-1 text-small text-paper">
                    from {dayMinute(point.at!, zone)}
                    {bands.map((b, n) => (
                      <div key={b.name}>
                        {safeText(b.name)} <b>{sayValue(point[`band${n}`] ?? null, unit)}</b>
                      </div>
                    ))}
                  </div>
                );
              }}
            />
            {bands.map((b, n) => (
              <Area
                key={b.name}
                dataKey={`band${n}`}
                stackId="all"
                type="stepAfter"
                stroke="var(--paper)"
                strokeWidth={0.5}
                fill={b.exact ? "var(--ink)" : `url(#${hatch})`}
                fillOpacity={weightOf(n, bands.length)}
                isAnimationActive={false}
              />
            ))}
          </AreaChart>
        </ResponsiveContainer>
      </div>
      <ul aria-hidden className="w-36 shrink-0 self-center overflow-hidden text-small max-slim:w-24">
        {bands.map((b, n) => (
          <li key={b.name} className="flex items-center gap-1.5">
            <span
              className={`h-2.5 w-2.5 shrink-0 ${b.exact ? "bg-ink" : "hatched"}`}
              style={{ opacity: weightOf(n, bands.length) }}
            />
            <span className="truncate">{safeText(b.name)}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
