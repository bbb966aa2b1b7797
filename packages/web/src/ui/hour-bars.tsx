/** Amounts of hours one after the other, as upright bars; the exact ones are in a table beside it. */
export function HourBars({
  hours,
  label,
  low = false,
}: {
  hours: readonly number[];
  label: string;
  /** As high as a line of text. */
  low?: boolean;
}) {
  const most = Math.max(1, ...hours);
  return (
    <svg
      viewBox={`0 0 ${hours.length * 4} 40`}
      className={`w-full max-w-[46rem] ${low ? "h-4" : "h-10"}`}
      role="img"
      aria-label={label}
      preserveAspectRatio="none"
    >
      {hours.map((n, i) => (
        <rect key={i} x={i * 4} y={40 - (40 * n) / most} width={3} height={(40 * n) / most} className="fill-ink" />
      ))}
    </svg>
  );
}
