import type { TileMade } from "@halvik/contract/boards";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { useViewStore, usOf } from "../../../data/view-store";
import { Cut } from "../../../ui/cut";
import { safeText } from "../../../ui/safe-text";
import { day, dayMinute } from "../../../ui/time";

type Made<Is extends TileMade["is"]> = Extract<TileMade, { is: Is }>;

/** Alarms over time, what they come to beside published figures, and which rules make most of them. */
export function LoadTile({ made: { alarms, steps, figures, floods, rules } }: { made: Made<"alarm load"> }) {
  const zone = useViewStore((s) => s.zone);
  const most = Math.max(1, ...steps.map((s) => s.count));
  const worst = figures.find((f) => f.band === "too much") ?? figures.find((f) => f.band === "bearable");
  const first = rules[0];
  return (
    <div className="flex h-full min-h-0 flex-col text-ui">
      <svg
        viewBox={`0 0 ${steps.length} 40`}
        preserveAspectRatio="none"
        role="img"
        aria-label={`${alarms} alarms, at most ${most} in a step`}
        className="block min-h-6 w-full flex-1 border-b border-line-strong"
      >
        {steps.map((s, i) => (
          <g key={s.from}>
            <rect
              x={i + 0.1}
              width={0.8}
              y={40 - (40 * s.count) / most}
              height={(40 * s.count) / most}
              fill="var(--ink)"
              opacity={0.3}
            />
            <rect
              x={i + 0.1}
              width={0.8}
              y={40 - (40 * s.severe) / most}
              height={(40 * s.severe) / most}
              fill="var(--ink)"
              opacity={0.85}
            />
          </g>
        ))}
      </svg>
      {steps.length > 0 && (
        <p className="flex justify-between text-small text-quiet">
          <span>{day(usOf(steps[0]!.from), zone)}</span>
          <span>dark: error or worse</span>
        </p>
      )}
      <p>
        <Link to="/load">
          {alarms.toLocaleString("en")} {alarms === 1 ? "incident" : "incidents"} raised
        </Link>
        {floods.length > 0 && (
          <>
            , {floods.length} {floods.length === 1 ? "flood" : "floods"}
          </>
        )}
        .{" "}
        {worst === undefined ? (
          "Every figure is in its good band."
        ) : (
          <span className={worst.band === "too much" ? "text-ochre" : ""}>
            {sayFigure(worst)}: {worst.band}.
          </span>
        )}
      </p>
      {first !== undefined && (
        <p className="text-quiet">
          <Cut text={safeText(first.name)}>
            most by <Link to={`/rules/${first.id}`}>{safeText(first.name)}</Link>, {Math.round(100 * first.share)} %
          </Cut>
        </p>
      )}
    </div>
  );
}

/** A figure before its name: `43 % of the ten busiest sources`. */
const sayFigure = ({ value, unit, name }: Made<"alarm load">["figures"][number]): string =>
  `${unit === "share" ? `${Math.round(100 * value)} %` : Number(value.toPrecision(2)).toLocaleString("en")} ${name}`;

/** What did not come through, or not whole. */
export function IntakeTile({ made: { intake, recordsPerSecond, engineBehindSeconds } }: { made: Made<"intake"> }) {
  const figures: readonly (readonly [number, string, string])[] = [
    [intake.lost, "lost", "since the collector started"],
    [intake.refused, "refused", "unknown or refused senders"],
    [intake.capped, "over the rate cap", "counted, not stored"],
    [intake.problems, "decoded in part", "stored with their bytes"],
    [intake.late, "late", "more than 10 min"],
  ];
  return (
    <>
      <dl className="text-ui">
        {figures.map(([n, what, more]) => (
          <div key={what} className="flex items-baseline gap-2 border-t border-line py-0.5 first:border-t-0">
            <dt className="flex-1">
              {what} <span className="text-small text-quiet">{more}</span>
            </dt>
            <dd className={`tabular-nums ${n === 0 ? "text-quiet" : "font-semibold"}`}>{n.toLocaleString("en")}</dd>
          </div>
        ))}
      </dl>
      <p className="text-small text-quiet">
        <Link to="/intake">{recordsPerSecond.toLocaleString("en")} records/s</Link>
        {engineBehindSeconds !== null && `, rules ${engineBehindSeconds.toFixed(1)} s behind`}
      </p>
    </>
  );
}

/** The time of a zone, to the minute. */
export function ClockTile({ made: { zone } }: { made: Made<"clock"> }) {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 1_000);
    return () => clearInterval(timer);
  }, []);
  const text = dayMinute(now * 1_000, zone);
  const at = text.lastIndexOf(" ");
  return (
    <p>
      <span className="text-[2.25rem] leading-10 font-semibold tabular-nums">{text.slice(at + 1)}</span>
      <span className="block text-ui text-quiet">
        {text.slice(0, at)} {zone}
      </span>
    </p>
  );
}
