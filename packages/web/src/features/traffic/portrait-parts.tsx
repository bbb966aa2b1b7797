import type { Portrait, PortraitKind, PortraitTraffic } from "@halvik/contract/portrait";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { type PortraitAsked, portraitNewsQuery } from "../../data/api";
import { useWindow } from "../../data/use-window";
import { isoOf, usOf } from "../../data/view-store";
import { windowAndFilter, windowParams } from "../../data/window-url";
import { AddressName } from "../../shared/address-names";
import { PortraitLink } from "../../shared/portrait-link";
import { ButtonLink } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { SeverityMark } from "../../ui/marks";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { Tooltip } from "../../ui/tooltip";
import { sayAmount } from "./amounts";
import { MINUTE_US, PortraitPart, PortraitSection, RecordsLink } from "./portrait-rows";
import { Said } from "./portrait-said";

interface PartsProps {
  readonly of: PortraitAsked;
  readonly portrait: Portrait;
  readonly traffic: PortraitTraffic | undefined;
  readonly zone: string;
}

/** All parts, in columns that fill one after the other. */
export function PortraitParts({ of, portrait, traffic, zone }: PartsProps) {
  return (
    <div className="pt-1 [column-gap:1.375rem] [column-width:21rem] *:break-inside-avoid">
      <Identity portrait={portrait} zone={zone} />
      <News of={of} zone={zone} />
      <Said filter={portrait.filter} zone={zone} />
      {traffic && <OfTraffic traffic={traffic} />}
      <PortraitPart
        title="Logons"
        small={portrait.kind === "user" ? "as this user" : "to it, from it"}
        rows={portrait.logons.map((l) => ({
          key: `${l.note} ${l.label}`,
          label: l.note === "" ? l.label : `${l.note} ${l.label}`,
          note: <Portrayed {...portrayedOf(l.note, l.label)} />,
          weight: l.count,
          figure: [l.success > 0 && `${l.success} let in`, l.failure > 0 && `${l.failure} refused`]
            .filter(Boolean)
            .join(", "),
          filter: l.filter,
        }))}
      />
      <PortraitPart
        title="Allowed?"
        small="firewall decisions that name it"
        rows={portrait.decisions.map((d) => ({
          key: `${d.action} ${d.label}`,
          label: `${DECIDED[d.action]} by ${d.label}`,
          weight: d.count,
          figure: d.count.toLocaleString("en"),
          filter: d.filter,
        }))}
      />
      <OwnRecords portrait={portrait} />
      <Incidents portrait={portrait} zone={zone} />
      <Ways portrait={portrait} />
    </div>
  );
}

const DECIDED = { accept: "accepted", deny: "denied", reject: "rejected" } as const;

/** What flows tell: with whom, what it offers and uses, how its packets are. */
function OfTraffic({ traffic: { peers, peersInAll, offers, uses, sizes, markings } }: { traffic: PortraitTraffic }) {
  return (
    <>
      <PortraitPart
        title="Talks to"
        small={peersInAll === 1 ? "1 address" : `${peersInAll.toLocaleString("en")} addresses`}
        of={peersInAll}
        rows={peers.map((p) => ({
          key: p.address,
          label: p.label,
          note: (
            <>
              <AddressName address={p.address} />
              {p.filter !== null && <Portrayed kind="address" value={p.address} />}
            </>
          ),
          weight: p.sent + p.received,
          figure: sayAmount(p.sent + p.received, "bytes"),
          filter: p.filter,
        }))}
      />
      <PortraitPart
        title="Offers"
        small="ports of its own that others use"
        rows={offers.map((o) => ({
          key: o.label,
          label: o.label,
          note: <Fate {...o} />,
          weight: o.sent + o.received,
          figure: `${sayAmount(o.sent + o.received, "bytes")}, ${o.clients === 1 ? "1 client" : `${o.clients} clients`}`,
          filter: o.filter,
        }))}
      />
      <PortraitPart
        title="Uses"
        small="applications as a client"
        rows={uses.map((u) => ({
          key: u.label,
          label: u.label,
          note: <Fate {...u} />,
          weight: u.sent + u.received,
          figure: sayAmount(u.sent + u.received, "bytes"),
          filter: u.filter,
        }))}
      />
      <PortraitPart
        title="Packets"
        small="by their mean size in a flow"
        rows={sizes.map((s) => ({
          key: s.label,
          label: s.label,
          weight: s.packets,
          figure: sayAmount(s.packets, "packets"),
          filter: null,
        }))}
      />
      <PortraitPart
        title="Marked as"
        small="DSCP"
        rows={markings.map((m) => ({
          key: m.label,
          label: m.label,
          weight: m.bytes,
          figure: sayAmount(m.bytes, "bytes"),
          filter: null,
        }))}
      />
    </>
  );
}

/** Connections that came to nothing. */
function Fate({ refused, unanswered }: { refused: number; unanswered: number }) {
  const said = [refused > 0 && `${refused} refused`, unanswered > 0 && `${unanswered} unanswered`].filter(Boolean);
  return said.length === 0 ? null : <span className="ml-1.5 font-sans text-small text-ochre">{said.join(", ")}</span>;
}

const portrayedOf = (note: string, value: string): { kind: PortraitKind; value: string } => ({
  kind: note === "from" ? "address" : note === "on" ? "sender" : "user",
  value,
});

/** The way to the portrait of something that is named. */
const Portrayed = ({ kind, value }: { kind: PortraitKind; value: string }) => (
  <span className="ml-1 font-sans text-small">
    <PortraitLink kind={kind} value={value}>
      <span aria-hidden>→</span>
      <span className="sr-only">portrait of {safeText(value)}</span>
    </PortraitLink>
  </span>
);

/** A moment that leads to the record that says so. */
export const RecordAt = ({ witness, zone }: { witness: { time: string; record: string }; zone: string }) => (
  <Link
    to={{
      pathname: "/records",
      search: new URLSearchParams({
        from: isoOf(usOf(witness.time) - MINUTE_US),
        to: isoOf(usOf(witness.time) + MINUTE_US),
        record: witness.record,
      }).toString(),
    }}
    className="text-ink decoration-dotted underline-offset-2"
  >
    {dayMinute(usOf(witness.time), zone)}
  </Link>
);

type Bound = Portrait["bindings"][number];
/** A user is not called as a machine is: they were on it. */
const OF_USERS: Partial<Record<Bound["is"], string>> = { address: "from", host: "on" };
const THINGS: Readonly<Record<Bound["is"], string>> = {
  address: "address",
  host: "name",
  mac: "MAC",
  user: "user",
  port: "port",
};
const REASONS: Readonly<Record<Bound["by"], string>> = {
  sender: "as it is entered",
  logon: "by logons",
  lease: "by leases of addresses",
  neighbour: "by what neighbours reported",
  answer: "by answers of DNS",
  flow: "by its flows",
  wireless: "by joining a wireless network",
};
const PORTRAYED: Partial<Record<Bound["is"], PortraitKind>> = { address: "address", host: "host", user: "user" };
const BINDINGS_SHOWN = 10;

/** What it is, by which record, from when to when; what contradicts each other stands side by side. */
function Identity({ portrait: { kind: of, bindings }, zone }: { portrait: Portrait; zone: string }) {
  if (bindings.length === 0) return null;
  return (
    <section aria-label="Who it is" className="mb-2">
      <h2 className="text-ui leading-[1.375rem] font-semibold">
        Who it is
        <small className="ml-1.5 text-code font-normal text-quiet">from–to, with the record that says so</small>
      </h2>
      <dl className="grid grid-cols-[3.6rem_minmax(0,1fr)_auto] gap-x-2 text-ui leading-5">
        {bindings.slice(0, BINDINGS_SHOWN).map((b) => (
          <div key={`${b.is} ${b.value} ${b.by} ${b.first?.record}`} className="contents">
            <dt className="text-quiet">{(of === "user" ? OF_USERS[b.is] : undefined) ?? THINGS[b.is]}</dt>
            <dd className="truncate font-mono text-code">
              <Tooltip text={`${REASONS[b.by]}${b.count > 0 ? `, ${b.count.toLocaleString("en")} records` : ""}`}>
                <span>
                  <Named bound={b} />
                </span>
              </Tooltip>
              {b.conflict && <b className="ml-1.5 font-sans text-small text-ochre">another at the same time</b>}
            </dd>
            <dd className="text-code text-quiet">
              {b.first === null || b.last === null ? (
                REASONS[b.by]
              ) : (
                <>
                  <RecordAt witness={b.first} zone={zone} /> – <RecordAt witness={b.last} zone={zone} />
                </>
              )}
            </dd>
          </div>
        ))}
      </dl>
      {bindings.length > BINDINGS_SHOWN && (
        <p className="text-code text-quiet">{bindings.length - BINDINGS_SHOWN} more</p>
      )}
    </section>
  );
}

function Named({ bound: { is, value } }: { bound: Bound }) {
  const kind = PORTRAYED[is];
  if (kind === undefined) return safeText(value);
  return (
    <PortraitLink kind={kind} value={value}>
      {safeText(value)}
    </PortraitLink>
  );
}

/** What the window holds of it and the seven days before did not. */
function News({ of, zone }: { of: PortraitAsked; zone: string }) {
  const { data, error } = useQuery(portraitNewsQuery(useWindow(MINUTE_US), of));
  if (error) return <Trouble error={error} what="What is new is not known" />;
  if (!data) return null;
  return (
    <>
      <PortraitPart
        title="New about it"
        small={`against what there was since ${dayMinute(usOf(data.since), zone)}`}
        rows={data.rows.map((r) => ({
          key: `${r.what} ${r.label}`,
          label: `${r.what} ${r.label}`,
          weight: r.count,
          figure: r.count.toLocaleString("en"),
          filter: r.filter,
        }))}
      />
      {data.partial && (
        <p className="mb-2 text-small text-ochre">
          Not all of the time before could be looked through: more may be new than is said.
        </p>
      )}
    </>
  );
}

/** Its records by severity and kind. */
function OwnRecords({ portrait: { records } }: { portrait: Portrait }) {
  if (records.total === 0) return null;
  return (
    <PortraitSection title="Its records" small={`${records.total.toLocaleString("en")} that name it`}>
      <p className="flex flex-wrap gap-x-4 font-mono text-code leading-5">
        {records.severities.map((s) => (
          <span key={s.severity} className="inline-flex items-center gap-1">
            <SeverityMark severity={s.severity} height={12} />
            <RecordsLink filter={s.filter}>
              {s.count.toLocaleString("en")} {s.label}
            </RecordsLink>
          </span>
        ))}
      </p>
      <p className="flex flex-wrap gap-x-4 font-mono text-code leading-5 text-quiet">
        {records.kinds.map((k) => (
          <RecordsLink key={k.label} filter={k.filter}>
            {k.count.toLocaleString("en")} {k.label}
          </RecordsLink>
        ))}
      </p>
    </PortraitSection>
  );
}

/** Incidents that name it. */
function Incidents({ portrait: { incidents }, zone }: { portrait: Portrait; zone: string }) {
  if (incidents.length === 0) return null;
  return (
    <PortraitSection title="Incidents" small="that name it">
      <ul className="m-0 list-none p-0 text-code leading-5">
        {incidents.map((i) => (
          <li key={i.id} className="flex items-baseline gap-1.5">
            <SeverityMark severity={i.severity} height={12} />
            <Link to={`/incidents/${i.id}`} className="min-w-0 truncate">
              {safeText(i.title)}
            </Link>
            <span className="ml-auto shrink-0 text-quiet">
              {dayMinute(usOf(i.first), zone)}, {i.state}
            </span>
          </li>
        ))}
      </ul>
    </PortraitSection>
  );
}

/** Where one goes on from here. */
function Ways({ portrait: { kind, value, addresses, filter } }: { portrait: Portrait }) {
  const policy = (end: "src" | "dst") => `/traffic/policy?${windowParams()}&${end}=${encodeURIComponent(value)}`;
  return (
    <p className="mt-2 flex flex-wrap gap-1.5">
      <ButtonLink to={`/records?${windowAndFilter(filter)}`}>Its records</ButtonLink>
      {addresses.length > 0 && (
        <ButtonLink to={`/traffic?${windowAndFilter(`address is ${addresses.join(", ")}`)}`}>Its traffic</ButtonLink>
      )}
      {kind === "address" && <ButtonLink to={policy("dst")}>What was allowed to it</ButtonLink>}
      {kind === "address" && <ButtonLink to={policy("src")}>What was allowed from it</ButtonLink>}
    </p>
  );
}
