import type { Overview } from "@halvik/contract/overview";
import type { Summary } from "@halvik/contract/status";
import { formatDuration } from "@halvik/core/base/time";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate } from "react-router";
import { incidentsQuery, overviewQuery, summaryQuery } from "../../data/api";
import { isoOf, useViewStore, usOf } from "../../data/view-store";
import { usePageKeys } from "../../navigation/keys";
import { NamedText } from "../../shared/address-names";
import { DiskForecast } from "../../shared/disk-forecast";
import { IncidentStrip, StripHeadings } from "../../shared/incident-strip";
import { useCurrent } from "../../shared/use-current";
import { Trouble } from "../../ui/empty-state";
import { SeverityMark } from "../../ui/marks";
import { Facts, Heading, Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { ago, dayMinute } from "../../ui/time";
import { useLastVisit } from "./last-visit";
import { IncidentDays, Night, Sites } from "./night";

const NUMBERS = ["No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten"];

/** What needs me, whom I do not hear, whether intake is healthy. */
export function NowPage() {
  const navigate = useNavigate();
  const summary = useQuery(summaryQuery);
  const queue = useQuery(incidentsQuery("attention", {}));
  const seen = useQuery(incidentsQuery("open", {}));
  // a screen's worth: what else a person who arrives asks must be in sight too
  const most = useMostShown();
  const waiting = queue.data?.incidents ?? [];
  const shown = waiting.slice(0, most);
  const { current, move } = useCurrent(shown);
  const others = (seen.data?.incidents ?? []).filter((i) => !waiting.some((w) => w.id === i.id));
  usePageKeys({
    j: () => move(1),
    k: () => move(-1),
    Enter: () => current && navigate(`/incidents/${current.id}`),
  });
  const s = summary.data;
  const zone = useViewStore((v) => v.zone);
  const overview = useQuery(overviewQuery(zone)).data;
  return (
    <Page
      title={waiting.length === 0 ? "Now" : `(${waiting.length}) Now`}
      margin={s && <NowMargin summary={s} overview={overview} />}
    >
      <h1 className="text-page leading-[1.625rem] font-semibold">
        {waiting.length === 0
          ? "Nothing needs you"
          : `${NUMBERS[waiting.length] ?? waiting.length} ${waiting.length === 1 ? "thing needs" : "things need"} you`}
      </h1>
      <p className="border-b border-line-strong pb-1.5 text-quiet">
        {others.length === 0
          ? "No other incident is open."
          : `${others.length} more ${others.length === 1 ? "is" : "are"} open and acknowledged.`}{" "}
        <Link to="/incidents">All incidents</Link>
      </p>
      <Scroller label="What needs you">
        {summary.error && <Trouble error={summary.error} what="The figures cannot be shown" />}
        {waiting.length + others.length > 0 && <StripHeadings />}
        {shown.map((i) => (
          <IncidentStrip key={i.id} incident={i} selected={i.id === current?.id} />
        ))}
        {waiting.length > most && (
          <p className="border-b border-line px-1.5 py-1">
            <Link to="/incidents">{waiting.length - most} more need you</Link>
          </p>
        )}
        {others.slice(0, Math.max(0, most - waiting.length)).map((i) => (
          <IncidentStrip key={i.id} incident={i} />
        ))}
        <SinceLastHere />
        {s && <Hearing summary={s} />}
        {s && <Intake summary={s} />}
      </Scroller>
    </Page>
  );
}

/** What became of incidents since this page was left. */
function SinceLastHere() {
  const { nowUs, zone } = useViewStore();
  const before = useLastVisit(nowUs);
  const changed = useQuery({
    ...incidentsQuery("all", before === null ? {} : { from: isoOf(before), to: isoOf(nowUs) }),
    queryKey: ["incidents", "since", String(before)],
    enabled: before !== null,
  });
  if (before === null) return null;
  const since = (changed.data?.incidents ?? []).filter(
    (i) => usOf(i.raised) >= before || (i.ended && usOf(i.ended) >= before),
  );
  const raised = since.filter((i) => usOf(i.raised) >= before);
  const ended = since.filter((i) => i.ended !== null && usOf(i.ended) >= before);
  return (
    <>
      <Heading small={`${dayMinute(before, zone)}, ${ago(before, nowUs)} ago`}>Since you were last here</Heading>
      <p className="text-ui text-quiet">
        {raised.length === 0 ? "No incident was raised" : `${raised.length} raised`};{" "}
        {ended.length === 0 ? "none ended." : `${ended.length} cleared or closed:`}{" "}
        {ended.slice(0, 5).map((i) => (
          <Link key={i.id} to={`/incidents/${i.id}`} className="mr-3">
            <NamedText>{i.title}</NamedText>
          </Link>
        ))}
      </p>
    </>
  );
}

function Hearing({ summary: { senders } }: { summary: Summary }) {
  const { nowUs } = useViewStore();
  const usual = senders.admitted - senders.silent.length;
  return (
    <>
      <Heading small={`${senders.admitted} senders · ${usual} as usual`}>Am I hearing everything?</Heading>
      <div className="text-ui">
        {senders.silent.map((s) => (
          <div
            key={s.name}
            className="grid grid-cols-[12px_10.625rem_1fr_6.25rem] max-slim:grid-cols-[12px_1fr] items-center gap-2 border-b border-line py-[3px]"
          >
            <SeverityMark severity={s.explainedBy === null ? "warning" : "informational"} />
            <span className="font-mono">{safeText(s.name)}</span>
            <span className="text-quiet">
              {s.explainedBy !== null
                ? `silent, explained by ${s.explainedBy}`
                : s.usualGapSeconds === null
                  ? "silent"
                  : `silent; usually heard every ${formatDuration(s.usualGapSeconds * 1e6)}`}
            </span>
            <span className="text-right text-quiet">{ago(usOf(s.since), nowUs)}</span>
          </div>
        ))}
        {senders.waiting > 0 && (
          <p className="border-b border-line py-[3px]">
            <Link to="/intake">
              {senders.waiting.toLocaleString("en")} {senders.waiting === 1 ? "sender" : "senders"} waiting for
              admission
            </Link>
          </p>
        )}
        {senders.silent.length === 0 && senders.waiting === 0 && (
          <p className="text-quiet">
            {senders.admitted === 0
              ? "No sender has been admitted yet. Point a device at an endpoint listed on Intake, or start the stand-in devices with bin/halvik simulate live."
              : "Every sender is as active as usual."}
          </p>
        )}
      </div>
    </>
  );
}

function Intake({ summary: { intake } }: { summary: Summary }) {
  const figures: readonly (readonly [number, string, string])[] = [
    [intake.lost, "lost", "since the collector started"],
    [intake.refused, "refused", "unknown or refused senders"],
    [intake.capped, "over the rate cap", "counted, not stored"],
    [intake.problems, "decoded in part", "stored with their bytes"],
    [intake.late, "late", "more than 10 min"],
  ];
  return (
    <>
      <Heading small={<Link to="/intake">intake</Link>}>Lost, refused, late</Heading>
      <div className="grid grid-cols-5 max-slim:grid-cols-2 border-y border-line">
        {figures.map(([n, what, more], i) => (
          <div key={what} className={`py-2 pr-2 ${i > 0 ? "border-l border-line pl-3" : ""}`}>
            <div className={`text-brand leading-[1.625rem] ${n === 0 ? "text-quiet" : ""}`}>
              {n.toLocaleString("en")}
            </div>
            <div>{what}</div>
            <div className="text-code text-quiet">{more}</div>
          </div>
        ))}
      </div>
    </>
  );
}

const STRIP_PX = 58;
/** What of the page's height is for the queue. */
const QUEUE_SHARE = 0.55;
const LEAST_SHOWN = 5;

/** How many incidents stand on the page, by its height. */
function useMostShown(): number {
  const [height, setHeight] = useState(innerHeight);
  useEffect(() => {
    const listener = () => setHeight(innerHeight);
    addEventListener("resize", listener);
    return () => removeEventListener("resize", listener);
  }, []);
  return Math.max(LEAST_SHOWN, Math.floor((height * QUEUE_SHARE) / STRIP_PX));
}

function NowMargin({
  summary: { store, intake, recordsPerSecond, engineBehindSeconds },
  overview,
}: {
  summary: Summary;
  overview: Overview | undefined;
}) {
  const zone = useViewStore((s) => s.zone);
  return (
    <>
      {overview === undefined ? (
        <p className="text-ui text-quiet">counting the night …</p>
      ) : (
        <>
          <Night overview={overview} />
          <IncidentDays overview={overview} />
          <Sites overview={overview} />
        </>
      )}
      <Heading>Store</Heading>
      <Facts
        facts={[
          ["stored", `${store.records.toLocaleString("en")} records`],
          ["oldest", store.oldest === null ? "nothing yet" : dayMinute(usOf(store.oldest), zone)],
          ["size", `${(store.bytes / 1e6).toFixed(0)} MB`],
          ["disk free", `${(store.diskFreeBytes / 1e9).toFixed(1)} GB`],
        ]}
      />
      <p className="text-ui">
        <DiskForecast />
      </p>
      <Heading>Intake</Heading>
      <Facts
        facts={[
          ["rate", `${recordsPerSecond} records/s`],
          ["held", intake.held === 0 ? null : `${intake.held.toLocaleString("en")} for waiting senders`],
          ["spool", intake.spoolBytes === 0 ? "empty" : `${(intake.spoolBytes / 1e6).toFixed(1)} MB`],
          ["rules run", engineBehindSeconds === null ? "not yet" : `${engineBehindSeconds.toFixed(1)} s behind`],
        ]}
      />
    </>
  );
}
