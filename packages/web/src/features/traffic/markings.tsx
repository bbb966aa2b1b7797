import { markingsQuery, type WindowParts } from "../../data/api";
import { usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { sayAmount } from "./amounts";
import { RecordsLink } from "./portrait-rows";
import { usePatiently } from "./use-patiently";

/** Where a marking is another one at the next exporter on its way, or gone. */
export function Markings({ window, zone }: { window: WindowParts; zone: string }) {
  const { data, error, isLooking, stop } = usePatiently(
    `${window.from} ${window.to}`,
    (patience) => markingsQuery(window, patience),
    ({ reached }) => reached,
  );
  if (error) return <Trouble error={error} what="Markings cannot be compared" />;
  if (!data) return <p className="text-quiet">Looking …</p>;
  return (
    <section aria-label="Markings on the way" className="mb-3">
      <h2 className="text-ui font-semibold">
        Markings on the way
        <small className="ml-1.5 text-code font-normal text-quiet">
          conversations that two exporters report with different markings, in {data.flows.toLocaleString("en")} flows
        </small>
      </h2>
      {data.reached !== null && (
        <p className="text-small text-ochre">
          Looked at back to {dayMinute(usOf(data.reached), zone)} only
          {isLooking && (
            <>
              , going on … <TextButton onClick={stop}>stop</TextButton>
            </>
          )}
        </p>
      )}
      {data.rows.length === 0 && (
        <p className="text-ui text-quiet">
          None: every marking that two exporters report is the same at both. What only one exporter reports cannot be
          compared.
        </p>
      )}
      <ul className="m-0 list-none p-0 text-ui">
        {data.rows.map((row) => (
          <li
            key={[row.before, row.after, row.at, row.egress, row.next, row.ingress].join(" ")}
            className="grid grid-cols-[14rem_minmax(0,1fr)_8rem_5rem] items-baseline gap-x-3 border-t border-line py-0.5 @max-xl:grid-cols-1"
          >
            <span className="font-mono text-code">
              <RecordsLink filter={row.filter}>
                {row.before} → {row.after}
              </RecordsLink>
              {row.lost && <b className="ml-1.5 font-sans text-small text-ochre">lost</b>}
            </span>
            <span className="truncate">
              between {safeText(row.at)} <span className="text-quiet">{safeText(row.egress)}</span> and{" "}
              {safeText(row.next)} <span className="text-quiet">{safeText(row.ingress)}</span>
            </span>
            <span className="text-right text-quiet">
              {row.conversations === 1 ? "1 conversation" : `${row.conversations.toLocaleString("en")} conversations`}
            </span>
            <span className="text-right">{sayAmount(row.bytes, "bytes")}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
