import type { IncidentDetail } from "@halvik/contract/incidents";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { unusualQuery } from "../../data/api";
import { NamedText } from "../../shared/address-names";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";

/** What else was unusual of what it is about, while it happened; each line leads to its records. */
export function Unusual({ incident }: { incident: IncidentDetail["incident"] }) {
  const found = useQuery(unusualQuery(incident.id, incident.last)).data;
  if (found === undefined || (found.lines.length === 0 && found.notLooked === 0)) return null;
  return (
    <>
      <Heading small={`against the same hours of ${found.days} days`}>Also unusual then</Heading>
      <ul className="max-w-[64ch] text-ui">
        {found.lines.map((l) => (
          <li key={l.says} className="border-t border-line">
            <Link to={`/records?${new URLSearchParams({ filter: l.filter, from: found.from, to: found.to })}`}>
              <NamedText>{l.says}</NamedText>
            </Link>{" "}
            <span className="text-quiet">{safeText(l.why)}</span>
          </li>
        ))}
      </ul>
      {found.notLooked > 0 && (
        <p className="text-ui text-quiet">There was no time to look at {found.notLooked} more things it names.</p>
      )}
    </>
  );
}
