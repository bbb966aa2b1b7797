import type { SenderJson, SenderPortrait } from "@halvik/contract/senders";
import { formatDuration } from "@halvik/core/base/time";
import { SEVERITIES } from "@halvik/core/model/record";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { Link, useParams } from "react-router";
import { toast } from "sonner";
import { request } from "../../data/api";
import { flowStreamsQuery, senderPortraitQuery, sendersQuery } from "../../data/intake-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { Ago } from "../../shared/ago";
import { PortraitLink } from "../../shared/portrait-link";
import { Button } from "../../ui/button";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { Input } from "../../ui/field";
import { HourBars } from "../../ui/hour-bars";
import { Facts, Heading, Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { TwiceButton } from "../../ui/twice-button";
import { clockWords } from "./clock-words";
import { Stream } from "./flow-streams";
import { SenderClock } from "./sender-clock";
import { SenderMargin } from "./sender-margin";
import { SenderNumbers } from "./sender-numbers";
import { SenderWays } from "./sender-ways";

const count = (n: number): string => Math.round(n).toLocaleString("en");

/** One sender: what it is and sends, what of it was lost or could not be read, what names it; its facts to be changed beside it. */
export function SenderPage() {
  const id = Number(useParams().id);
  const client = useQueryClient();
  const senders = useQuery(sendersQuery);
  const { data, error } = useQuery(senderPortraitQuery(id));
  const sender = senders.data?.senders.find((s) => s.id === id);
  const change = useMutation({
    mutationFn: (body: object) => request("PATCH", `/senders/${id}`, body),
    onSuccess: (list) => client.setQueryData(["senders"], list),
    onError: (e) => toast.error(e.message),
  });
  return (
    <Page
      title={sender?.name ?? "Sender"}
      margin={sender && <SenderMargin key={sender.id} sender={sender} onChange={(body) => change.mutateAsync(body)} />}
    >
      <div className="flex items-baseline gap-4">
        <h1 className="text-page leading-[1.625rem] font-semibold">{safeText(sender?.name ?? "Sender")}</h1>
        <Link to="/intake" className="text-ui">
          back to Intake
        </Link>
        {sender && (
          <>
            <Link
              to={`/records?${new URLSearchParams({ filter: `sender is ${quoteIfNeeded(sender.name)}` })}`}
              className="text-ui"
            >
              Its records
            </Link>
            <PortraitLink kind="sender" value={sender.name}>
              Its portrait
            </PortraitLink>
          </>
        )}
      </div>
      <Scroller label="About this sender">
        {(error ?? senders.error) && <Trouble error={(error ?? senders.error)!} what="The sender cannot be shown" />}
        {senders.data && sender === undefined && (
          <EmptyState
            title="No such sender"
            text="It may have been forgotten: senders nobody admits are, after a day."
          />
        )}
        {sender && data && <Portrait sender={sender} portrait={data} />}
      </Scroller>
    </Page>
  );
}

function Portrait({ sender: s, portrait: p }: { sender: SenderJson; portrait: SenderPortrait }) {
  const zone = useViewStore((s) => s.zone);
  const least = Math.min(...p.hours);
  const most = Math.max(...p.hours);
  return (
    <>
      <Heading>Heard</Heading>
      <Facts
        facts={[
          [
            "last",
            s.lastHeard === null ? (
              "never"
            ) : (
              <>
                <Ago us={usOf(s.lastHeard)} /> ago
              </>
            ),
          ],
          ["silent since", s.silentSince === null ? null : dayMinute(usOf(s.silentSince), zone)],
          ["first", s.firstSeen === null ? null : dayMinute(usOf(s.firstSeen), zone)],
          ["usual gap", s.usualGapSeconds === null ? "not learnt yet" : formatDuration(s.usualGapSeconds * 1e6)],
          ["its clock", clockWords(s.clockOffsetMs)],
          ["via", s.via],
          ["reached through", s.reachedThrough],
        ]}
      />
      <Heading
        small={`the last hour ${count(p.hours[p.hours.length - 1] ?? 0)}, least ${count(least)}, most ${count(most)}; ${(100 * p.share).toFixed(p.share < 0.1 ? 1 : 0)} % of all records of the last day`}
      >
        By the hour, 7 days
      </Heading>
      <HourBars
        hours={p.hours}
        label={`Records by the hour since ${dayMinute(usOf(p.from), zone)}: least ${count(least)}, most ${count(most)}`}
      />
      <Called called={p.called} />
      <SenderWays sender={s.id} portrait={p} />
      <SenderClock clock={p.clock} />
      <div className="grid max-w-[46rem] grid-cols-2 gap-6 max-slim:grid-cols-1">
        <Compared
          title="By kind"
          rows={p.kinds.map((k) => ({ ...k, name: k.kind, filter: `kind is ${k.kind}` }))}
          of={s}
        />
        <Compared
          title="By severity"
          rows={p.severities.map((v) => ({
            ...v,
            name: `${v.severity} ${SEVERITIES[v.severity]}`,
            filter: `severity is ${SEVERITIES[v.severity]}`,
          }))}
          of={s}
        />
      </div>
      <Heading>Not stored, or not as it came</Heading>
      <Facts
        facts={[
          ["with problems", count(s.problems)],
          ["over its cap", count(s.capped)],
          ["late", count(s.late)],
          ["copies", count(s.copies)],
          ["held", count(s.held)],
          ["refused held", count(s.heldRefused)],
        ]}
      />
      <OwnCounter id={s.id} portrait={p} />
      <SenderNumbers sender={s.id} />
      <Streams sender={s} />
      <Heading small={p.undecodable.length === 0 ? "none kept" : "latest"}>Could not be decoded</Heading>
      {p.undecodable.map((u) => (
        <div key={`${u.at} ${u.hex}`} className="mb-1 border-t border-line pt-1 text-ui">
          <span className="text-quiet">
            {dayMinute(usOf(u.at), zone)} by {safeText(u.endpoint)}
          </span>{" "}
          {safeText(u.message)} ({u.code}, at {u.offset})
          <pre className="max-h-16 max-w-[46rem] overflow-y-auto bg-wash px-2 font-mono text-small break-all whitespace-pre-wrap">
            {u.hex.replace(/../g, "$& ")}
          </pre>
        </div>
      ))}
      <Heading small={p.uses.length === 0 ? "nothing does" : undefined}>Names it</Heading>
      {p.uses.map((u) => (
        <p key={`${u.what} ${u.id}`} className="text-ui">
          {LED_TO[u.what] === undefined ? safeText(u.name) : <Link to={LED_TO[u.what]!(u.id)}>{safeText(u.name)}</Link>}{" "}
          <span className="text-quiet">{u.what}</span>
        </p>
      ))}
    </>
  );
}

/** Its addresses, and what it was called and reached by before: filters that say those still mean it. */
function Called({ called }: Pick<SenderPortrait, "called">) {
  const zone = useViewStore((s) => s.zone);
  const at = (text: string) => dayMinute(usOf(text), zone);
  return (
    <>
      <Heading>Addresses and former names</Heading>
      <ul className="flex flex-wrap gap-x-6 text-ui">
        {called.map((c) => (
          <li key={`${c.what} ${c.value}`}>
            <span className={c.what === "address" ? "font-mono" : undefined}>{safeText(c.value)}</span>{" "}
            <span className="text-quiet">
              {c.since !== null && (c.until === null ? `since ${at(c.since)}` : `from ${at(c.since)} `)}
              {c.until !== null && `until ${at(c.until)}`}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

/** Where what names a sender is to be seen. */
const LED_TO: Partial<Record<SenderPortrait["uses"][number]["what"], (id: string) => string>> = {
  rule: (id) => `/rules/${id}`,
  "rule of arrival": () => "/intake/arrival",
  forward: () => "/intake/forwards",
  notification: () => "/notify",
  report: (id) => `/reports/${id}`,
  board: (id) => `/reports/boards/${id}`,
};

interface Row {
  readonly name: string;
  readonly filter: string;
  readonly hours: readonly number[];
  readonly day: number;
  readonly usual: number | null;
}

function Compared({ title, rows, of }: { title: string; rows: readonly Row[]; of: SenderJson }) {
  return (
    <section aria-label={title}>
      <Heading small="by the hour, 7 days; the last day, and usually">{title}</Heading>
      <div className="grid grid-cols-[auto_minmax(4rem,1fr)_auto_auto] items-end gap-x-4 text-ui tabular-nums">
        {rows.map((r) => (
          <Fragment key={r.name}>
            <Link
              to={`/records?${new URLSearchParams({ filter: `sender is ${quoteIfNeeded(of.name)} and ${r.filter}` })}`}
            >
              {r.name}
            </Link>
            <HourBars low hours={r.hours} label={`${r.name} by the hour, 7 days`} />
            <span className="text-right">{count(r.day)}</span>
            <span className="text-right text-quiet">{r.usual === null ? "not known yet" : count(r.usual)}</span>
          </Fragment>
        ))}
      </div>
    </section>
  );
}

/** What the sender counted itself, beside what was heard: entered twice, the difference says what was lost between. */
function OwnCounter({ id, portrait: p }: { id: number; portrait: SenderPortrait }) {
  const zone = useViewStore((s) => s.zone);
  const client = useQueryClient();
  const [value, setValue] = useState("");
  const note = useMutation({
    mutationFn: (n: number | null) =>
      n === null
        ? request<SenderPortrait>("DELETE", `/senders/${id}/counter`)
        : request<SenderPortrait>("POST", `/senders/${id}/counter`, { count: n }),
    onSuccess: (answer) => {
      client.setQueryData(["sender", id], answer);
      setValue("");
    },
    onError: (e) => toast.error(e.message),
  });
  return (
    <>
      <Heading small="how many messages it says it sent; entered again later, the difference shows">
        Its own counter
      </Heading>
      <form
        className="flex items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (/^\d{1,15}$/.test(value)) note.mutate(Number(value));
        }}
      >
        <span className="w-40">
          <Input
            aria-label="Its counter now"
            inputMode="numeric"
            pattern="\d{1,15}"
            className="font-mono"
            value={value}
            onChange={(e) => setValue(e.target.value)}
          />
        </span>
        <Button type="submit">Note</Button>
        {p.counters.length > 0 && (
          <TwiceButton inText first="begin anew" then="forget these and begin anew" onSure={() => note.mutate(null)} />
        )}
      </form>
      {p.counters.map((c) => (
        <p key={c.at} className="text-ui tabular-nums">
          <span className="text-quiet">
            {dayMinute(usOf(c.at), zone)}, {safeText(c.who)}:
          </span>{" "}
          {count(c.theirs)}
          {c.since !== null && (
            <>
              {" · "}it sent {count(c.since.theirs)} since {dayMinute(usOf(c.since.from), zone)}, {count(c.since.ours)}{" "}
              were heard: <Difference theirs={c.since.theirs} ours={c.since.ours} rulesDrop={p.rulesDrop} />
            </>
          )}
        </p>
      ))}
    </>
  );
}

function Difference({ theirs, ours, rulesDrop }: { theirs: number; ours: number; rulesDrop: boolean }) {
  if (theirs < 0) return <span className="text-quiet">its counter began anew</span>;
  const missing = theirs - ours;
  if (missing === 0) return <b className="text-pine">all of them</b>;
  return missing > 0 ? (
    <b className="text-vermilion">
      {count(missing)} never arrived{rulesDrop && ", or were dropped by rules of arrival"}
    </b>
  ) : (
    <span className="text-quiet">{count(-missing)} more than it says: messages on their way, or heard by two ways</span>
  );
}

function Streams({ sender: s }: { sender: SenderJson }) {
  const { data } = useQuery(flowStreamsQuery);
  const zone = useViewStore((v) => v.zone);
  const own = data?.streams.filter((stream) => s.addresses.includes(stream.exporter)) ?? [];
  if (own.length === 0) return null;
  return (
    <>
      <Heading>Templates of its flows</Heading>
      {own.map((stream) => (
        <Stream key={`${stream.protocol} ${stream.domain}`} stream={stream} zone={zone} />
      ))}
    </>
  );
}
