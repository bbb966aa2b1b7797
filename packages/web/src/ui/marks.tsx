import { RECORD_KINDS, type RecordKind, SEVERITIES } from "@halvik/core/model/record";
import { Tooltip } from "./tooltip";

const STEPS = 8;

/** Eight steps filled from the bottom: debug one, emergency all. It reads by length; colour comes on top from warning on. */
export function SeverityMark({ severity, height = 16 }: { severity: string; height?: number }) {
  const level = (SEVERITIES as readonly string[]).indexOf(severity);
  const filled = STEPS - level;
  const colour = level <= 3 ? "var(--vermilion)" : level === 4 ? "var(--ochre)" : "var(--quiet)";
  return (
    <svg
      style={{ width: "0.375rem", height: `${height / 16}rem` }}
      viewBox="0 0 6 16"
      preserveAspectRatio="none"
      role="img"
      aria-label={`severity ${severity}`}
      className="shrink-0"
    >
      <title>{severity}</title>
      <rect x={0.5} y={0.5} width={5} height={15} fill="none" stroke="var(--line-strong)" />
      <rect x={0.5} y={16 - filled * 2} width={5} height={filled * 2 - 0.5} fill={colour} />
    </svg>
  );
}

export function KindMark({ kind }: { kind: string }) {
  return (
    <Tooltip text={kind}>
      <span
        role="img"
        aria-label={kind}
        className="inline-block w-6 rounded-xs border border-line-strong text-center font-mono text-mark leading-[0.875rem] text-quiet"
      >
        {RECORD_KINDS[kind as RecordKind]?.mark ?? "??"}
      </span>
    </Tooltip>
  );
}
