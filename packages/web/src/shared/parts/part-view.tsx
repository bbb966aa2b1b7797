import type { Measured, PartAnswer, PartMade } from "@halvik/contract/reports";
import { bandsOf, sayChange, sayLimit, sayOwn, sayRough, sayUnit, sayValue, type Unit } from "@halvik/core/report";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import { useViewStore, usOf } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { Notes } from "../../ui/markdown";
import { SeverityMark } from "../../ui/marks";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayClock, dayMinute } from "../../ui/time";
import { lineText } from "../record-text";
import { behind } from "./behind";
import { CourseChart } from "./chart-course";
import { HoursChart } from "./chart-hours";
import { ProfileChart } from "./chart-profile";
import { MeasuredRows } from "./measured-rows";

interface PartProps {
  readonly part: PartMade;
  readonly window: PartAnswer["window"];
}

/** A part of a report as it was made, under its title. */
export function PartView({
  part,
  window,
  tools,
}: PartProps & { /** What else can be done with it. */ readonly tools?: ReactNode }) {
  const [asTable, setAsTable] = useState(false);
  if (part.is === "text") return <Notes text={part.markdown} />;
  const isChart = part.is === "measured" && CHARTS.has(part.as);
  return (
    <section aria-label={part.title}>
      <Heading
        small={
          <span className="inline-flex gap-3">
            {isChart && (
              <TextButton onClick={() => setAsTable(!asTable)}>{asTable ? "as a chart" : "as a table"}</TextButton>
            )}
            {tools}
          </span>
        }
      >
        {safeText(part.title)}
      </Heading>
      <PartBody part={part} window={window} asTable={asTable} />
      {part.is === "measured" && <Open measured={part.measured} />}
    </section>
  );
}

type As = Extract<PartMade, { is: "measured" }>["as"];
/** What is drawn, and has a table one key away. */
const CHARTS: ReadonlySet<As> = new Set(["course", "profile", "hours of the week"]);

/** What a part tells, without its title. */
export function PartBody({ part, window, asTable }: PartProps & { readonly asTable: boolean }) {
  switch (part.is) {
    case "text":
      return <Notes text={part.markdown} />;
    case "failed":
      return (
        <p role="alert" className="text-vermilion">
          It cannot be made: {safeText(part.why)}
        </p>
      );
    case "measured":
      return <MeasuredBody as={part.as} measured={part.measured} window={window} asTable={asTable} />;
    case "incidents":
      return <Incidents part={part} />;
    case "records":
      return <Records part={part} window={window} />;
    case "own figures":
      return <OwnFigures part={part} />;
  }
}

interface MeasuredBodyProps {
  readonly as: As;
  readonly measured: Measured;
  readonly window: PartProps["window"];
  readonly asTable: boolean;
}

function MeasuredBody({ as, measured: m, window, asTable }: MeasuredBodyProps) {
  switch (as) {
    case "figure":
      return <BigFigure measured={m} window={window} />;
    case "course":
      return asTable || m.steps.length === 0 ? <Steps measured={m} /> : <CourseChart measured={m} className="h-40" />;
    case "profile":
      return asTable || m.steps.length === 0 ? (
        <BandSteps measured={m} />
      ) : (
        <ProfileChart measured={m} className="h-48" />
      );
    case "hours of the week":
      return asTable ? <MeasuredRows measured={m} window={window} bars={false} /> : <HoursChart measured={m} />;
    case "bars":
    case "table":
      return <MeasuredRows measured={m} window={window} bars={as === "bars"} />;
  }
}

/** One number, and how it was before. */
export function BigFigure({
  measured: m,
  window,
  className = "text-[1.75rem] leading-9",
}: Pick<MeasuredBodyProps, "measured" | "window"> & { readonly className?: string }) {
  const change = sayChange(m.total.value, m.total.before);
  const unit = m.unit as Unit;
  return (
    <p>
      <Link
        to={behind(m, window)}
        className={`${className} font-semibold text-ink no-underline tabular-nums hover:text-fjord`}
      >
        {m.total.exact ? "" : "≈ "}
        {sayValue(m.total.value, unit)}
      </Link>
      {!SAID_WITH_VALUE.has(m.unit) && <span className="ml-1.5 text-quiet">{m.unit}</span>}
      {change !== null && (
        <span className="block text-quiet">
          before {sayValue(m.total.before ?? null, unit)}: <b className="font-semibold text-ink">{change}</b>
        </span>
      )}
    </p>
  );
}

/** What is written with its value already. */
const SAID_WITH_VALUE: ReadonlySet<string> = new Set(["", "%", "s", "bytes", "bits/s", "records/s", "packets/s", "/s"]);

/** What was asked, and what the answer cannot say. */
function Open({ measured: m }: { measured: Measured }) {
  const zone = useViewStore((s) => s.zone);
  const isRough = [m.total, ...m.rows].some((r) => !r.exact);
  return (
    <p className="mt-0.5 text-small text-quiet">
      {m.says[0]!.toUpperCase()}
      {safeText(m.says.slice(1))}: {safeText(m.reading)}
      {!m.complete && (
        <span className="text-ochre">
          {" "}
          At least: of the newest records only, back to {dayMinute(usOf(m.coveredFrom), zone)}.
        </span>
      )}
      {isRough && ` · ${sayRough(m)}`}
      {m.limits.map((l) => (
        <Link
          key={l.rule}
          to={`/rules/${l.rule}`}
          className={`block ${l.near !== null && l.near >= 1 ? "text-vermilion" : ""}`}
        >
          Guarded: {safeText(sayLimit(l))}
        </Link>
      ))}
    </p>
  );
}

function Steps({ measured: m }: { measured: Measured }) {
  const zone = useViewStore((s) => s.zone);
  const unit = m.unit as Unit;
  return (
    <table className="text-ui tabular-nums">
      <thead>
        <tr className="border-b border-line-strong text-quiet">
          <th className="pr-6 text-left font-normal">from</th>
          <th className="pr-6 text-right font-normal">{sayUnit(m.unit)}</th>
          {m.stepsBefore.length > 0 && <th className="text-right font-normal">before</th>}
        </tr>
      </thead>
      <tbody>
        {m.steps.slice(0, -1).map((at, i) => (
          <tr key={at} className="border-b border-line">
            <td className="pr-6">{dayMinute(usOf(at), zone)}</td>
            <td className="pr-6 text-right">{sayValue(m.total.steps[i] ?? null, unit)}</td>
            {m.stepsBefore.length > 0 && <td className="text-right">{sayValue(m.stepsBefore[i] ?? null, unit)}</td>}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** A profile by its steps: a column a band. */
function BandSteps({ measured: m }: { measured: Measured }) {
  const zone = useViewStore((s) => s.zone);
  const unit = m.unit as Unit;
  const bands = bandsOf(m);
  const head = "pr-6 text-right font-normal";
  return (
    <table className="text-ui tabular-nums">
      <thead>
        <tr className="border-b border-line-strong text-quiet">
          <th className="pr-6 text-left font-normal">from</th>
          {bands.map((b) => (
            <th key={b.name} className={head}>
              {safeText(b.name)}
            </th>
          ))}
          <th className={head}>all, {sayUnit(m.unit)}</th>
        </tr>
      </thead>
      <tbody>
        {m.steps.slice(0, -1).map((at, i) => (
          <tr key={at} className="border-b border-line">
            <td className="pr-6">{dayMinute(usOf(at), zone)}</td>
            {bands.map((b) => (
              <td key={b.name} className="pr-6 text-right">
                {sayValue(b.steps[i] ?? null, unit)}
              </td>
            ))}
            <td className="pr-6 text-right">{sayValue(m.total.steps[i] ?? null, unit)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Incidents({ part }: { part: Extract<PartMade, { is: "incidents" }> }) {
  const zone = useViewStore((s) => s.zone);
  return (
    <>
      {part.incidents.length === 0 && <p className="text-quiet">None in this period.</p>}
      <ul>
        {part.incidents.map((i) => (
          <li key={i.id} className="border-b border-line py-1">
            <div className="flex items-baseline gap-2">
              <span className="self-center">
                <SeverityMark severity={i.severity} />
              </span>
              <Link to={`/incidents/${i.id}`} className="min-w-0 flex-1">
                {safeText(i.title)}
              </Link>
              <span className="text-small whitespace-nowrap text-quiet">
                {i.closeReason === null ? i.state : `${i.state}: ${i.closeReason}`}
                {i.assignedTo !== null && `, ${safeText(i.assignedTo)}`} · {i.count.toLocaleString("en")} records ·{" "}
                {dayMinute(usOf(i.first), zone)} – {dayMinute(usOf(i.last), zone)}
              </span>
            </div>
            {i.story.map((p) => (
              <p key={`${p.at} ${p.text}`} className="ml-5 max-w-[46rem] text-ui">
                {safeText(p.text)}
              </p>
            ))}
          </li>
        ))}
      </ul>
      {part.more > 0 && <p className="text-quiet">and {part.more.toLocaleString("en")} more</p>}
    </>
  );
}

function Records({ part, window }: { part: Extract<PartMade, { is: "records" }>; window: PartProps["window"] }) {
  const zone = useViewStore((s) => s.zone);
  return (
    <>
      {part.records.length === 0 && <p className="text-quiet">None in this period.</p>}
      <ul className="text-ui">
        {part.records.map((r) => (
          <li key={r.id} className="grid grid-cols-[9rem_8rem_1fr] gap-3 border-b border-line py-0.5">
            <span className="font-mono text-code text-quiet">{dayClock(usOf(r.time), zone)}</span>
            <span className="truncate">{safeText(r.sender.name)}</span>
            <Link
              to={`/records?${new URLSearchParams({ record: r.id, filter: part.filter, from: window.from, to: window.to })}`}
              className="min-w-0 break-words text-ink no-underline hover:text-fjord"
            >
              {safeText(lineText(r))}
            </Link>
          </li>
        ))}
      </ul>
      <p className="mt-0.5 text-small text-quiet">
        {safeText(part.reading)}
        {part.more && " There are more."}
      </p>
    </>
  );
}

function OwnFigures({ part }: { part: Extract<PartMade, { is: "own figures" }> }) {
  return (
    <dl className="grid grid-cols-[repeat(auto-fill,minmax(13rem,1fr))] gap-x-6 gap-y-2">
      {part.figures.map((f) => {
        const change = sayChange(f.value, f.before);
        return (
          <div key={f.name}>
            <dt className="text-small text-quiet">{f.name}</dt>
            <dd className="text-title font-semibold tabular-nums">
              {sayOwn(f.value, f.unit)}
              {change !== null && f.before !== undefined && (
                <span className="ml-2 text-small font-normal text-quiet">
                  before {sayOwn(f.before, f.unit)}: {change}
                </span>
              )}
            </dd>
          </div>
        );
      })}
    </dl>
  );
}
