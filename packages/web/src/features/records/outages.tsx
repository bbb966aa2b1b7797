import type { RecordJson } from "@halvik/contract/records";
import { formatDuration } from "@halvik/core/base/time";
import { type OutageEnd, outages } from "@halvik/core/meaning";
import { createContext, useContext } from "react";
import { usOf } from "../../data/view-store";

/** Outages among the lines on screen, by the records at their ends. */
export const Outages = createContext<ReadonlyMap<string, OutageEnd>>(new Map());

/** @param records newest first, as lists have them */
export const outagesAmong = (records: readonly RecordJson[]): ReadonlyMap<string, OutageEnd> =>
  outages(
    [...records].reverse().map((r) => ({
      id: r.id,
      timeUs: usOf(r.time),
      sender: r.sender.id,
      interface: r.interface,
      category: r.category,
      outcome: r.outcome,
    })),
  );

export const outageText = (end: OutageEnd["end"], lastedUs: number): string =>
  end === "down" ? `up again after ${formatDuration(lastedUs)}` : `was down for ${formatDuration(lastedUs)}`;

/** Behind a line that says an interface went down or came up: for how long it was down. */
export function OutageMark({ id }: { id: string }) {
  const outage = useContext(Outages).get(id);
  if (!outage) return null;
  return (
    <span className="font-sans text-small text-quiet select-none"> · {outageText(outage.end, outage.lastedUs)}</span>
  );
}
