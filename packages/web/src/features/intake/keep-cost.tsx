import { bytesText } from "@halvik/core/meaning/sentence";
import { useQuery } from "@tanstack/react-query";
import { capacityQuery } from "../../data/intake-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { day } from "../../ui/time";

/** What other days for a sender's records would take, before they are saved. */
export function KeepCost({ sender, days }: { sender: number; days: string }) {
  const zone = useViewStore((s) => s.zone);
  const { data } = useQuery(capacityQuery({ sender: String(sender), ...(days === "" ? {} : { keep: days }) }));
  if (data === undefined) return null;
  const own = data.senders.find((s) => s.id === sender);
  const more = data.asked.steadyBytes - data.now.steadyBytes;
  return (
    <p className="mb-2 text-small text-quiet" role="status">
      {own === undefined ? "It sent nothing in the last 7 days." : `It takes ${bytesText(own.bytesADay)} a day.`}
      {more !== 0 && ` So kept, the store ends ${bytesText(Math.abs(more))} ${more > 0 ? "larger" : "smaller"}.`}{" "}
      {data.asked.full !== null && (
        <b className="text-vermilion">The disk is full on {day(usOf(data.asked.full), zone)}.</b>
      )}
    </p>
  );
}
