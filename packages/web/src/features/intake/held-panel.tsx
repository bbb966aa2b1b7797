import { useQuery } from "@tanstack/react-query";
import { heldQuery } from "../../data/intake-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { Trouble } from "../../ui/empty-state";
import { safeText } from "../../ui/safe-text";
import { clockMs, dayMinute } from "../../ui/time";

/** What a waiting sender sent, read as it would be stored, before anybody decides. */
export function HeldPanel({ sender }: { sender: number }) {
  const zone = useViewStore((s) => s.zone);
  const { data, error } = useQuery(heldQuery(sender));
  if (error) return <Trouble error={error} what="What it sent cannot be shown" />;
  if (data === undefined) return <p className="px-2 text-ui text-quiet">reading what it sent …</p>;
  return (
    <section aria-label="What it sent" className="border-b border-line bg-wash px-2 py-1.5 text-ui">
      <p>
        {data.guess === null ? (
          <span className="text-quiet">What it sent does not show what it is.</span>
        ) : (
          <>
            Probably a <b className="font-semibold">{safeText(data.guess.family)}</b>:{" "}
            <span className="text-quiet">{safeText(data.guess.why)}.</span>
          </>
        )}
      </p>
      <p className="text-quiet">
        {data.kinds.map((k) => `${k.count} ${k.kind}`).join(", ")}
        {data.kinds.length > 0 && " of the last ones"}
        {data.ways.length > 0 && ` · by ${data.ways.map((w) => w.endpoint).join(", ")}`}
        {data.perDay !== null && ` · about ${data.perDay.toLocaleString("en")} a day at this rate`}
        {data.first !== null && ` · since ${dayMinute(usOf(data.first), zone)}`}
        {data.unreadable > 0 && <b className="text-ochre"> · {data.unreadable} not readable</b>}
      </p>
      {data.records.map((r, i) => (
        <p
          key={`${r.at} ${i}`}
          className="grid grid-cols-[6.5rem_4.5rem_1fr] gap-2 border-t border-line font-mono text-code"
        >
          <span className="text-quiet">{clockMs(usOf(r.at), zone)}</span>
          <span className="text-quiet">{r.kind}</span>
          <span className="min-w-0 break-words">
            {safeText(r.says)}
            {r.problem !== null && <b className="text-ochre"> {safeText(r.problem)}</b>}
          </span>
        </p>
      ))}
      {data.total === 0 && <p className="text-quiet">Nothing of it is held any more.</p>}
    </section>
  );
}
