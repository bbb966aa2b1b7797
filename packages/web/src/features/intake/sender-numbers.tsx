import { useQuery } from "@tanstack/react-query";
import { senderNumbersQuery } from "../../data/intake-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";

const count = (n: number): string => n.toLocaleString("en");

/** What the numbers say that a sender gives its messages: those between others that never came. */
export function SenderNumbers({ sender }: { sender: number }) {
  const zone = useViewStore((s) => s.zone);
  const { data } = useQuery(senderNumbersQuery(sender));
  if (data === undefined || data.streams.length === 0) return null;
  return (
    <section aria-label="Its numbers">
      <Heading small={`since ${dayMinute(usOf(data.since), zone)}; what it chose not to send is missing too`}>
        Its numbers
      </Heading>
      <ul className="text-ui tabular-nums">
        {data.streams.map((s) => (
          <li key={`${s.what} ${s.of}`} className="flex flex-wrap gap-x-4 border-b border-line py-0.5">
            <span className="min-w-60">
              {safeText(s.of) || s.what} <span className="text-quiet">{s.of === "" ? "" : s.what}</span>
            </span>
            <span>
              {count(s.first)} to {count(s.last)}
            </span>
            {s.missing === null ? (
              <span className="text-quiet">they do not follow one another, and say nothing of what is missing</span>
            ) : s.missing === 0 ? (
              <b className="font-semibold text-pine">all {count(s.received)} came</b>
            ) : (
              <b className="font-semibold text-vermilion">
                {count(s.missing)} of {count(s.received + s.missing)} never came
              </b>
            )}
            {s.anew > 0 && (
              <span className="text-ochre">
                they began anew {s.anew === 1 ? "once" : `${s.anew} times`}: what was missing just then nobody can say
              </span>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
