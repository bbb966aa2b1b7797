/** Amounts of hours one after the other, as upright bars; the exact ones are in a table beside it. */
export function HourBars({ hours, label }: { hours: readonly number[]; label: string }) {
  const most = Math.max(1, ...hours);
  return (
    <svg
      viewBox={`0 0 ${hours.length * 4} 40`}
      className="h-10 w-full max-w-[46rem]"
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
