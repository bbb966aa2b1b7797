import type { SenderPortrait } from "@halvik/contract/senders";
import { formatDuration } from "@halvik/core/base/time";
import { Heading } from "../../ui/page";
import { CLOCK_OK_MS, clockWords } from "./clock-words";

const [STEP, HEIGHT] = [4, 40];

/** By how much a sender's clock was off, by the hour: from the least to the most, ahead above the line, behind below it. */
export function SenderClock({ clock }: Pick<SenderPortrait, "clock">) {
  const known = clock.flatMap((c) => c ?? []);
  if (known.length === 0) return null;
  const least = Math.min(...known.map((c) => c.least));
  const most = Math.max(...known.map((c) => c.most));
  const reach = Math.max(CLOCK_OK_MS, Math.abs(least), Math.abs(most));
  // what is behind lies below the line
  const y = (ms: number) => HEIGHT / 2 + (ms / reach) * (HEIGHT / 2 - 1);
  const said =
    clockWords(least) === clockWords(most) ? clockWords(most) : `from ${clockWords(least)} to ${clockWords(most)}`;
  return (
    <section aria-label="Its clock, by the hour">
      <Heading small={`${said}; the picture reaches ${formatDuration(reach * 1_000)} either way`}>
        Its clock, by the hour
      </Heading>
      <svg
        viewBox={`0 0 ${clock.length * STEP} ${HEIGHT}`}
        className="h-10 w-full max-w-[46rem]"
        role="img"
        aria-label={`How far its clock was off, by the hour: ${said}`}
        preserveAspectRatio="none"
      >
        <path d={`M0 ${HEIGHT / 2}H${clock.length * STEP}`} className="stroke-line-strong" strokeWidth={0.75} />
        {clock.map((c, i) =>
          c === null ? null : (
            <rect
              key={i}
              x={i * STEP}
              y={y(c.least) - 0.75}
              width={STEP - 1}
              height={y(c.most) - y(c.least) + 1.5}
              className="fill-ink"
            />
          ),
        )}
      </svg>
    </section>
  );
}
