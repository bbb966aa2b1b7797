import type { Deliveries as DeliveriesAnswer } from "@halvik/contract/notify";
import { Link } from "react-router";
import { useViewStore, usOf } from "../../data/view-store";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayClock } from "../../ui/time";

type Delivery = DeliveriesAnswer["deliveries"][number];

const LOOK: Readonly<Record<Delivery["state"], string>> = {
  waiting: "text-ochre",
  sent: "text-ink",
  failed: "font-semibold text-vermilion",
  dropped: "text-quiet",
};

/** What became of every message: sent, waiting, failed or not sent, and why. */
export function Deliveries({ deliveries }: { deliveries: readonly Delivery[] }) {
  const zone = useViewStore((s) => s.zone);
  return (
    <>
      <Heading small="newest first">Messages</Heading>
      {deliveries.length === 0 && <p className="text-ui text-quiet">No message has been sent yet.</p>}
      <table className="w-full text-ui">
        <tbody>
          {deliveries.map((d) => (
            <tr key={d.id} className="border-b border-line align-baseline">
              <td className="py-[3px] pr-3 font-mono text-code whitespace-nowrap text-quiet">
                {dayClock(usOf(d.ended ?? d.made), zone)}
              </td>
              <td className={`pr-3 whitespace-nowrap ${LOOK[d.state]}`}>
                {d.tells} {d.state}
              </td>
              <td className="pr-3">
                {d.incident ? (
                  <Link to={`/incidents/${d.incident.id}`} className="underline">
                    {safeText(d.incident.title)}
                  </Link>
                ) : (
                  "a test"
                )}
                {d.why !== "" && <span className="text-quiet"> · {safeText(d.why)}</span>}
                {d.state === "waiting" && (
                  <span className="text-quiet">
                    {" "}
                    · {d.attempts > 0 && `${d.attempts} attempts, next `}at {dayClock(usOf(d.due), zone)}
                  </span>
                )}
              </td>
              <td className="text-right whitespace-nowrap text-quiet">
                {safeText(d.route.name)} → {safeText(d.to.length > 0 ? d.to.join(", ") : (d.channel ?? "mail"))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
