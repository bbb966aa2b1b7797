const WIDTH = 34;

/** How many in each stretch of time: upright as the rail, the newest on top. */
export function Course({
  counts,
  height,
  label,
}: {
  readonly counts: readonly number[];
  readonly height: number;
  readonly label: string;
}) {
  const most = Math.max(1, ...counts);
  const step = height / Math.max(1, counts.length);
  return (
    <svg width={WIDTH} height={height} role="img" aria-label={label} className="block">
      <path d={`M0.5 0V${height}`} className="stroke-line-strong" />
      {counts.map((n, i) =>
        n === 0 ? null : (
          <rect
            key={i}
            x={1}
            y={height - (i + 1) * step}
            width={Math.max(1.5, ((WIDTH - 1) * n) / most)}
            height={Math.max(1, step - 0.4)}
            className="fill-ink/70"
          />
        ),
      )}
    </svg>
  );
}
