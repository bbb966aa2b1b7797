import { useQuery } from "@tanstack/react-query";
import { incidentDeliveriesQuery } from "../../data/api";
import { useViewStore, usOf } from "../../data/view-store";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayClock } from "../../ui/time";

const SAYS = { sent: "sent", waiting: "waits", failed: "could not be sent", dropped: "not sent" };

/** Who was notified of an incident, by what and when; what waits; what was withheld, and why. */
export function Deliveries({ incident }: { incident: number }) {
  const zone = useViewStore((s) => s.zone);
  const deliveries = useQuery(incidentDeliveriesQuery(incident)).data?.deliveries;
  if (deliveries === undefined) return null;
  return (
    <>
      <Heading>Notifications</Heading>
      {deliveries.length === 0 && (
        <p className="text-ui text-quiet">None: no notification is for it, or its evidence is of history.</p>
      )}
      <ul className="text-ui">
        {deliveries.map((d) => (
          <li key={d.id} className="border-t border-line">
            <time className="font-mono text-small text-quiet">{dayClock(usOf(d.ended ?? d.due), zone)}</time> {d.tells}{" "}
            {SAYS[d.state]} {d.channel === null && d.to.length > 0 && `to ${safeText(d.to.join(", "))} `}
            {d.channel === null ? "by mail" : `by ${safeText(d.channel)}`},{" "}
            <span className="text-quiet">
              “{safeText(d.route.name)}”{d.attempts > 1 && `, ${d.attempts} attempts`}
              {d.why !== "" && `: ${safeText(d.why)}`}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}
