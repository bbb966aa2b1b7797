import type { TrafficAnswer } from "@halvik/contract/traffic";
import { OWN_NETWORKS } from "@halvik/core/model/senders";
import { bothOf } from "@halvik/core/query/filter";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { trafficListsQuery, trafficPlacesQuery, trafficQuery } from "../../data/api";
import { useDirectory } from "../../data/use-directory";
import { useWindow } from "../../data/use-window";
import { isoOf, useViewStore, usOf } from "../../data/view-store";
import { windowParams } from "../../data/window-url";
import { usePageKeys } from "../../navigation/keys";
import { Coverage } from "../../shared/coverage";
import { usePinChoices } from "../../shared/pinning";
import { useBoardChoices } from "../../shared/put-on-board";
import { TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { dayMinute } from "../../ui/time";
import { sayAmount, sayRate, sayUtilisation } from "./amounts";
import {
  AMONG,
  BY,
  MEASURES,
  narrowedBy,
  placeOf,
  placeOptions,
  readSentence,
  type Sentence,
  scopeFilter,
} from "./asked";
import { InterfaceForm } from "./interface-form";
import { trafficTiles } from "./list-measure";
import { TrafficListTable } from "./lists";
import { Markings } from "./markings";
import { NarrowField } from "./narrow-field";
import { PortraitMargin } from "./portrait-page";
import { Profile } from "./profile";
import { StepTable } from "./step-table";
import { trafficPins } from "./traffic-pins";
import { Unnamed } from "./unnamed";
import { usePatiently } from "./use-patiently";
import { Where } from "./where";

/** What is listed beside the profile, in this order. */
const LISTED = [
  "application",
  "protocol",
  "source",
  "destination",
  "pair",
  "service",
  "dscp",
  "packet size",
  "tcp flags",
  "ip version",
  "site pair",
  "as pair",
] as const;
/** Lists of which there may be nothing, and then nothing is said. */
const RARE: readonly string[] = ["tcp flags", "site pair", "as pair"];
/** What `all` of the address says beside a dimension. */
const VIEWS = ["unnamed", "markings"] as const;
const BRIEF = 5;
const ALL = 500;

/** A window that follows the clock moves on by so much: sums are made of whole minutes. */
const MINUTE_US = 60e6;

/** Who uses the network for what: a sentence that chooses, the course over time, the greatest of everything. */
export function TrafficPage() {
  const [params, setParams] = useSearchParams();
  const sentence = readSentence(params);
  const window = useWindow(MINUTE_US);
  const zone = useViewStore((s) => s.zone);
  const [asTable, setAsTable] = useState(false);
  const whole = LISTED.find((d) => d === params.get("all")) ?? null;
  const view = VIEWS.find((v) => v === params.get("all")) ?? null;
  const portrait = params.get("portrait");
  usePageKeys({ Escape: () => portrait !== null && change({ portrait: null }) });
  const directory = useDirectory();
  const hasOwnList = directory?.lists.names().includes(OWN_NETWORKS) ?? false;
  const narrowed = narrowedBy(sentence, hasOwnList);
  const { scale: _scale, among: _among, words: _words, by, ...scope } = sentence;
  const asked = { ...scope, filter: narrowed, zone };
  const what = JSON.stringify([asked, by, whole, window.from, window.to]);
  const places = useQuery(trafficPlacesQuery);
  const reachedOf = ({ asked: { reached } }: { asked: TrafficAnswer["asked"] }) => reached;
  const course = usePatiently(what, (patience) => trafficQuery(window, asked, by, patience), reachedOf);
  const listed = usePatiently(
    what,
    (patience) =>
      trafficListsQuery(window, asked, whole === null ? LISTED : [whole], whole === null ? BRIEF : ALL, patience),
    reachedOf,
  );
  const stop = () => {
    course.stop();
    listed.stop();
  };
  const change = (to: Readonly<Record<string, string | null>>) =>
    setParams((before) => {
      const next = new URLSearchParams(before);
      for (const [name, value] of Object.entries(to))
        if (value === null || value === "") next.delete(name);
        else next.set(name, value);
      return next;
    });
  // an entry of its own in the history: the back key goes back to the window before
  const narrow = (filter: string) => change({ filter: bothOf(sentence.words, filter), all: null });
  const go = (fromUs: number, toUs: number) => change({ last: null, from: isoOf(fromUs), to: isoOf(toUs) });
  const scopeOfPage = scopeFilter(sentence, narrowed, places.data);
  const { data } = course;
  const lists = (listed.data?.lists ?? []).filter((l) => l.rows.length > 0 || !RARE.includes(l.dimension));
  useBoardChoices(trafficTiles(sentence, scopeOfPage));
  usePinChoices(trafficPins(data, sentence, scopeOfPage, zone, window));
  const error = course.error ?? listed.error;
  const isEmpty = data?.total.every((t) => t.bytes === 0 && t.flows === 0);
  return (
    <Page
      title="Traffic"
      opened={portrait !== null}
      margin={
        portrait !== null && (
          <PortraitMargin of={{ kind: "address", value: portrait }} onClose={() => change({ portrait: null })} />
        )
      }
    >
      <div className="border-b border-line-strong pb-1.5">
        <div className="flex flex-wrap items-baseline gap-x-4">
          <h1 className="text-page leading-[1.625rem] font-semibold">Traffic</h1>
          <SentenceLine sentence={sentence} places={places.data} onChange={change} />
          <InterfaceForm sentence={sentence} places={places.data} />
          <span className="ml-auto flex gap-x-3 text-small">
            <Link to="/traffic/now">what goes on now</Link>
            <Link to="/traffic/answers">how servers answer</Link>
            <Link to={{ pathname: "/traffic/policy", search: windowParams() }}>was it allowed?</Link>
          </span>
        </div>
        <p className="mt-0.5 flex flex-wrap gap-x-3 text-ui text-quiet">
          {data && (
            <Told
              answer={data}
              sentence={sentence}
              zone={zone}
              onChange={change}
              onStop={course.isLooking || listed.isLooking ? stop : null}
            />
          )}
          <Coverage window={window} zone={zone} />
        </p>
        <NarrowField
          words={sentence.words}
          window={window}
          zone={zone}
          onChange={(words) => change({ filter: words })}
        />
      </div>
      {error && <Trouble error={error} what="Traffic cannot be shown" />}
      {data && isEmpty && (
        <p className="pt-3 text-quiet">
          {data.asked.behind > 0
            ? "Flows of this window are still being summed."
            : narrowed !== ""
              ? "No flow of this window matches."
              : "No exporter reported traffic here in this window. Intake shows what is received, and how an exporter is set up."}
        </p>
      )}
      {data && !isEmpty && (
        <div
          aria-busy={course.isOld || listed.isOld}
          className={`grid min-h-0 flex-1 grid-cols-[minmax(330px,5fr)_7fr] gap-5 max-wide:flex max-wide:flex-none max-wide:flex-col ${narrowed !== "" && (course.isOld || listed.isOld) ? "opacity-50" : ""}`}
        >
          <div className="flex min-h-0 flex-col pt-2 pb-2 max-wide:h-[32rem]">
            {asTable ? (
              <StepTable answer={data} sentence={sentence} onGo={go} />
            ) : (
              <Profile answer={data} sentence={sentence} onGo={go} />
            )}
            <TextButton className="self-start text-small" onClick={() => setAsTable(!asTable)}>
              {asTable ? "as a picture" : "as a table"}
            </TextButton>
          </div>
          <Scroller label="The greatest">
            <div className="@container pt-2">
              {(whole !== null || view !== null) && (
                <p className="mb-1 text-ui">
                  <TextButton onClick={() => change({ all: null })}>back to all lists</TextButton>
                </p>
              )}
              {view === "unnamed" && <Unnamed window={window} asked={asked} zone={zone} onNarrow={narrow} />}
              {view === "markings" && <Markings window={window} zone={zone} />}
              {view === null && whole === null && (
                <p className="mb-1 flex gap-x-3 text-small">
                  <TextButton onClick={() => change({ all: "unnamed" })}>unnamed traffic</TextButton>
                  <TextButton onClick={() => change({ all: "markings" })}>where markings change</TextButton>
                </p>
              )}
              {(view === null ? lists : []).map((list) => (
                <TrafficListTable
                  key={list.dimension}
                  list={list}
                  sentence={sentence}
                  scope={scopeOfPage}
                  bands={list.dimension === by ? data.bands : []}
                  onAll={whole === null ? () => change({ all: list.dimension }) : null}
                  onNarrow={narrow}
                  onPortrait={(address) => change({ portrait: address })}
                />
              ))}
              {view === null && whole === null && listed.data && (
                <Where where={listed.data.where} measure={sentence.measure} onGo={change} />
              )}
              {view === null && listed.data && (
                <ListsNote
                  sums={listed.data.asked.sums}
                  from={listed.data.asked.from}
                  to={listed.data.asked.to}
                  zone={zone}
                />
              )}
            </div>
          </Scroller>
        </div>
      )}
    </Page>
  );
}

interface LineProps {
  readonly sentence: Sentence;
  readonly places: Parameters<typeof placeOptions>[0];
  readonly onChange: (to: Readonly<Record<string, string | null>>) => void;
}

/** The sentence that chooses everything; its underlined parts are pickers. */
function SentenceLine({ sentence, places, onChange }: LineProps) {
  const exporter = places?.exporters.find((e) => e.id === sentence.exporter);
  return (
    <p className="flex flex-wrap items-baseline gap-x-1 text-body">
      of
      <Select
        plain
        label="Whose traffic"
        value={placeOf(sentence)}
        options={placeOptions(places)}
        onChange={(to) => {
          const [kind, ...rest] = to.split(" ");
          const name = rest.join(" ");
          onChange({
            site: kind === "site" ? name : null,
            exporter: kind === "exporter" ? name : null,
            interface: null,
          });
        }}
      />
      {exporter !== undefined && (
        <>
          <span className="-ml-1">,</span>
          <Select
            plain
            label="Which interface"
            value={sentence.interface === undefined ? "" : String(sentence.interface)}
            options={[
              { value: "", label: "all its interfaces" },
              ...exporter.interfaces.map((i) => ({
                value: String(i.index),
                label: i.name,
                about: i.capacity === null ? "" : sayRate(i.capacity, "bytes"),
              })),
            ]}
            onChange={(to) => onChange({ interface: to })}
          />
        </>
      )}
      <span className="-ml-1">,</span>
      <Select
        plain
        label="Which of it"
        value={sentence.among}
        options={[...AMONG]}
        onChange={(to) => onChange({ among: to === "all" ? null : to })}
      />
      <span className="-ml-1">, by</span>
      <Select
        plain
        label="By what"
        value={sentence.by}
        options={[...BY]}
        onChange={(to) => onChange({ by: to === "application" ? null : to })}
      />
      <span className="-ml-1">, in</span>
      <Select
        plain
        label="In which measure"
        value={sentence.measure}
        options={[...MEASURES]}
        onChange={(to) => onChange({ measure: to === "bytes" ? null : to })}
      />
    </p>
  );
}

const COUNTED: Readonly<Record<TrafficAnswer["asked"]["counted"], (exporters: number) => string>> = {
  interface: () => "as metered at this interface",
  once: (n) => (n === 1 ? "each conversation once" : `each conversation once, of ${n} exporters`),
  exported: (n) => `as exported: as often as ${n === 1 ? "it was exported" : `${n} exporters reported it`}`,
};

/** What there is in all, how it was counted, and what is to be known of it. */
function Told({
  answer: { asked, total, estimated, sides, capacity, counters, steps, step },
  sentence,
  zone,
  onChange,
  onStop,
}: {
  answer: TrafficAnswer;
  sentence: Sentence;
  zone: string;
  onChange: LineProps["onChange"];
  /** Ends going through more flows; null: nothing is being gone through. */
  onStop: (() => void) | null;
}) {
  const bytes = total.reduce((sum, t) => sum + t.bytes, 0);
  const flows = Math.max(...total.map((t) => t.flows));
  const part = bytes === 0 ? 0 : estimated.bytes / bytes;
  const parts: ReactNode[] = [
    `${flows.toLocaleString("en")} flows`,
    sides === 2
      ? `${sayAmount(total[0]!.bytes, "bytes")} in · ${sayAmount(total[1]!.bytes, "bytes")} out`
      : sayAmount(bytes, "bytes"),
    `${dayMinute(usOf(asked.from), zone)} – ${dayMinute(usOf(asked.to), zone)}`,
    <span key="counted">
      {COUNTED[asked.counted](asked.exporters)}
      {asked.counted !== "interface" && sentence.exporter === undefined && (
        <TextButton
          className="ml-1.5"
          onClick={() => onChange({ count: sentence.count === "once" ? "exported" : null })}
        >
          {sentence.count === "once" ? "as exported" : "each once"}
        </TextButton>
      )}
    </span>,
    part > 0.0005 && (
      <b key="estimated" className="text-ochre">
        ≈ {part < 0.01 ? "< 1" : Math.round(100 * part)} % of it estimated from 1 in {estimated.rate}
      </b>
    ),
    asked.silent.length > 0 && (
      <b key="silent" className="text-ochre">
        {safeText(asked.silent.slice(0, 3).join(", "))}
        {asked.silent.length > 3 && ` and ${asked.silent.length - 3} more`} reported nothing in this window
      </b>
    ),
    asked.waiting.length > 0 && (
      <b key="waiting" className="text-ochre">
        data of {safeText(asked.waiting.slice(0, 3).join(", "))}
        {asked.waiting.length > 3 && ` and ${asked.waiting.length - 3} more`} waits for its template
      </b>
    ),
    asked.reached !== null && (
      <b key="reached" className="text-ochre">
        looked at back to {dayMinute(usOf(asked.reached), zone)} only
        {onStop !== null && (
          <>
            , going on …
            <TextButton className="ml-1.5 font-normal" onClick={onStop}>
              stop
            </TextButton>
          </>
        )}
      </b>
    ),
    asked.behind > 0 && (
      <b key="behind" className="text-ochre">
        {asked.behind >= 10_000 ? "more than 10,000" : asked.behind.toLocaleString("en")} flows are not summed yet
      </b>
    ),
    counters !== null && <Counters key="counters" counters={counters} />,
    sides === 2 &&
      capacity !== null &&
      `carries ${sayRate(capacity, "bytes")}${sentence.measure === "bytes" ? `: ${sayUtilisation(steps, step, capacity)}` : ""}`,
    <span key="scale">
      scale {sentence.scale === "log" ? "logarithmic" : "linear"}
      <TextButton className="ml-1.5" onClick={() => onChange({ scale: sentence.scale === "log" ? null : "log" })}>
        {sentence.scale === "log" ? "linear" : "logarithmic"}
      </TextButton>
    </span>,
    steps.some((s) => s.weekBefore.some((n) => n > 0)) && (
      <span key="week" className="inline-flex items-center gap-1.5">
        <svg width={18} height={6} aria-hidden>
          <path d="M0 3h18" stroke="var(--fjord)" strokeDasharray="3 2" />
        </svg>
        a week before
      </span>
    ),
  ];
  return parts.map((p, i) => (p ? <span key={i}>{p}</span> : null));
}

/** What the interface counted itself, and how much of it flows explain. */
function Counters({ counters: { sides, restarts } }: { counters: NonNullable<TrafficAnswer["counters"]> }) {
  const trouble = sides.reduce((sum, s) => sum + s.errors + s.discards, 0);
  const [into, out] = sides.map((s) => sayAmount(s.bytes, "bytes"));
  const explained = sides.map((s) => (s.explained === null ? null : `${Math.round(100 * s.explained)} %`));
  return (
    <span>
      its counters: {into} in · {out} out
      {explained.some((e) => e !== null) &&
        `, of which flows explain ${explained.map((e) => e ?? "nothing").join(" · ")}`}
      {trouble > 0 && (
        <b className="text-ochre">
          {" "}
          {sides.map((s, i) => `${s.errors} errors and ${s.discards} discards ${i === 0 ? "in" : "out"}`).join(", ")}
        </b>
      )}
      {restarts > 0 && ` (began anew ${restarts === 1 ? "once" : `${restarts} times`})`}
    </span>
  );
}

/** From what the lists were made, where that is not the window to the minute. */
/** What lists are made of, by the coarsest sums in them. */
const LISTED_BY = [
  [86_400, "from sums by the day and hour"],
  [3_600, "from sums by the hour"],
  [1, "from sums by five minutes"],
  [0, "from the flows themselves"],
] as const;
const ListsNote = ({ sums, from, to, zone }: { sums: number; from: string; to: string; zone: string }) => (
  <p className="text-small text-quiet">
    Lists {LISTED_BY.find(([least]) => sums >= least)![1]}, {safeText(dayMinute(usOf(from), zone))} –{" "}
    {safeText(dayMinute(usOf(to), zone))}.
  </p>
);
