import type { TrafficNow } from "@halvik/contract/traffic";
import { useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import { Link } from "react-router";
import { trafficNowQuery } from "../../data/api";
import { useViewStore, usOf } from "../../data/view-store";
import { AddressName } from "../../shared/address-names";
import { PortraitLink } from "../../shared/portrait-link";
import { TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { SeverityMark } from "../../ui/marks";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { clock } from "../../ui/time";
import { sayAmount } from "./amounts";

/** What goes on in the last five minutes. A line keeps its place while it is there: nothing moves under the pointer. */
export function TrafficNowPage() {
  const zone = useViewStore((s) => s.zone);
  const { data, error, refetch } = useQuery(trafficNowQuery);
  const order = useRef<readonly string[]>([]);
  const sources = inPlace(data?.sources ?? [], order.current);
  order.current = sources.map((s) => s.address);
  return (
    <Page title="Traffic now">
      <div className="flex flex-wrap items-baseline gap-x-4 border-b border-line-strong pb-1.5">
        <h1 className="text-page leading-[1.625rem] font-semibold">Traffic now</h1>
        {data && (
          <span className="text-ui text-quiet">
            the five minutes up to {clock(usOf(data.to), zone)}, {sayAmount(data.bytes, "bytes")}, each conversation
            once
            {data.partial && <b className="ml-2 text-ochre">only in part: there was no time for all</b>}
          </span>
        )}
        <TextButton
          className="ml-auto text-small"
          onClick={() => {
            order.current = [];
            void refetch();
          }}
        >
          put in order
        </TextButton>
        <Link to="/traffic" className="text-small">
          all of Traffic
        </Link>
      </div>
      <Scroller label="Who sends">
        {error && <Trouble error={error} what="What goes on is not known" />}
        {data && sources.length === 0 && (
          <p className="pt-3 text-quiet">No flows and no decisions in the last five minutes.</p>
        )}
        <ul className="m-0 list-none p-0 pt-1 text-ui">
          {sources.map((s) => (
            <Source key={s.address} source={s} />
          ))}
        </ul>
      </Scroller>
    </Page>
  );
}

/** In the order they stood in; what is new comes behind. */
function inPlace(sources: TrafficNow["sources"], order: readonly string[]): TrafficNow["sources"] {
  const known = new Map(sources.map((s) => [s.address, s]));
  const stayed = order.flatMap((address) => known.get(address) ?? []);
  return [...stayed, ...sources.filter((s) => !order.includes(s.address))];
}

function Source({ source: s }: { source: TrafficNow["sources"][number] }) {
  const others = s.destinationsInAll - s.destinations.length;
  return (
    <li className="grid grid-cols-[14rem_5rem_minmax(0,1fr)_minmax(0,16rem)] items-baseline gap-x-3 border-t border-line py-1 max-wide:grid-cols-[minmax(0,1fr)_5rem]">
      <span className="truncate font-mono text-code">
        <PortraitLink kind="address" value={s.address}>
          {s.address}
        </PortraitLink>
        <AddressName address={s.address} />
      </span>
      <span className="text-right">{s.bytes > 0 ? sayAmount(s.bytes, "bytes") : "no flows"}</span>
      <span className="truncate text-quiet max-wide:col-span-2">
        {s.destinations.length > 0 && "to "}
        {s.destinations.map((d, i) => (
          <span key={d.address}>
            {i > 0 && ", "}
            <span className="font-mono text-code text-ink">{safeText(d.address)}</span> {sayAmount(d.bytes, "bytes")}
          </span>
        ))}
        {others > 0 && ` and ${others} more`}
      </span>
      <span className="text-code text-quiet max-wide:col-span-2">
        {s.accepted > 0 && `${s.accepted} accepted`}
        {s.refused > 0 && (
          <b className="text-ochre">
            {s.accepted > 0 ? ", " : ""}
            {s.refused} refused
          </b>
        )}
        {s.policies.length > 0 && ` by ${s.policies.slice(0, 3).map(safeText).join(", ")}`}
        {s.incidents.map((i) => (
          <span key={i.id} className="flex items-center gap-1">
            <SeverityMark severity={i.severity} height={12} />
            <Link to={`/incidents/${i.id}`} className="truncate">
              {safeText(i.title)}
            </Link>
          </span>
        ))}
      </span>
    </li>
  );
}
