import type { TileMade } from "@halvik/contract/boards";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { Link } from "react-router";
import { usOf } from "../../../data/view-store";
import { Ago } from "../../../shared/ago";
import { Cut } from "../../../ui/cut";
import { SeverityMark } from "../../../ui/marks";
import { safeText } from "../../../ui/safe-text";

type Made<Is extends TileMade["is"]> = Extract<TileMade, { is: Is }>;

/** What needs somebody, the most urgent first. */
export function QueueTile({ made }: { made: Made<"needs somebody"> }) {
  if (made.incidents.length === 0) return <p className="text-ui text-quiet">Nothing needs anybody.</p>;
  return (
    <>
      <ul className="text-ui">
        {made.incidents.map((i) => (
          <li key={i.id} className="flex items-baseline gap-2 border-t border-line py-0.5 first:border-t-0">
            <span className="self-center">
              <SeverityMark severity={i.severity} />
            </span>
            <Link to={`/incidents/${i.id}`} className="min-w-0 flex-1 no-underline hover:underline">
              <Cut text={safeText(i.title)}>{safeText(i.title)}</Cut>
            </Link>
            <span className="whitespace-nowrap text-quiet">
              {i.assignedTo === null ? "" : `${safeText(i.assignedTo)} · `}
              <Ago us={usOf(i.raised)} />
            </span>
          </li>
        ))}
      </ul>
      <More more={made.more} to="/incidents" />
    </>
  );
}

/** Whom nothing is heard of. */
export function SilentTile({ made: { senders, more } }: { made: Made<"silent senders"> }) {
  return (
    <>
      <ul className="text-ui">
        {senders.silent.map((s) => (
          <li key={s.name} className="flex items-baseline gap-2 border-t border-line py-0.5 first:border-t-0">
            <span className="self-center">
              <SeverityMark severity={s.explainedBy === null ? "warning" : "informational"} />
            </span>
            <span className="min-w-0 flex-1">
              <Cut text={safeText(s.name)}>
                <Link to={recordsOf(s.name)} className="no-underline hover:underline">
                  {safeText(s.name)}
                </Link>
                {s.explainedBy !== null && <span className="text-quiet"> behind {safeText(s.explainedBy)}</span>}
              </Cut>
            </span>
            <span className="whitespace-nowrap text-quiet">
              silent <Ago us={usOf(s.since)} />
            </span>
          </li>
        ))}
      </ul>
      {senders.silent.length === 0 && (
        <p className="text-ui text-quiet">
          {senders.admitted === 0
            ? "No sender has been admitted yet. Point a device at an endpoint listed on Intake, or start the stand-in devices with bin/halvik simulate live."
            : "Every sender is as active as usual."}
        </p>
      )}
      <More more={more} to="/intake" />
      {senders.waiting > 0 && (
        <p className="text-ui">
          <Link to="/intake">{senders.waiting.toLocaleString("en")} waiting for admission</Link>
        </p>
      )}
      {senders.admitted > 0 && (
        <p className="text-small text-quiet">
          {senders.admitted.toLocaleString("en")} senders,{" "}
          {(senders.admitted - senders.silent.length - more).toLocaleString("en")} as usual
        </p>
      )}
    </>
  );
}

/** What it sent while it sent. */
const recordsOf = (sender: string): string =>
  `/records?${new URLSearchParams({ filter: `sender is ${quoteIfNeeded(sender)}` })}`;

export const More = ({ more, to }: { more: number; to: string }) =>
  more === 0 ? null : (
    <p className="text-ui">
      <Link to={to}>{more.toLocaleString("en")} more</Link>
    </p>
  );
