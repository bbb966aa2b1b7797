import type { IncidentDetail } from "@halvik/contract/incidents";
import { Link } from "react-router";
import { useViewStore, usOf } from "../../data/view-store";
import { howEnded } from "../../shared/how-ended";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";

/** Earlier incidents like this one, and how they ended: what was it the last time? */
export function Similar({ similar }: { similar: IncidentDetail["similar"] }) {
  const zone = useViewStore((s) => s.zone);
  return (
    <>
      <Heading small={similar.length === 0 ? "none before" : undefined}>Earlier ones like it</Heading>
      <ul className="text-ui">
        {similar.map((s) => (
          <li key={s.id} className="mb-1.5">
            <Link to={`/incidents/${s.id}`}>{safeText(s.title)}</Link>{" "}
            <span className="text-quiet">
              {dayMinute(usOf(s.last), zone)}, {howEnded(s)}
            </span>
            <span className="block text-code text-quiet">{safeText(s.why)}</span>
            {s.note !== "" && <span className="block border-l-2 border-line-strong pl-2">{safeText(s.note)}</span>}
          </li>
        ))}
      </ul>
    </>
  );
}
