import type { Measured, PartAnswer, PartMade } from "@halvik/contract/reports";
import { sayChange, sayOwn, sayValue, type Unit } from "@halvik/core/report";
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
import { MeasuredRows } from "./measured-rows";

interface PartProps {
  readonly part: PartMade;
  readonly window: PartAnswer["window"];
}

/** A part of a report as it was made. */
export function PartView({ part, window }: PartProps) {
  switch (part.is) {
    case "text":
      return <Notes text={part.markdown} />;
    case "failed":
      return (
        <Titled title={part.title}>
          <p role="alert" className="text-vermilion">
            It cannot be made: {safeText(part.why)}
          </p>
        </Titled>
      );
    case "measured":
      return <MeasuredPart title={part.title} as={part.as} measured={part.measured} window={window} />;
    case "incidents":
      return <Incidents part={part} />;
    case "records":
      return <Records part={part} window={window} />;
    case "own figures":
      return <OwnFigures part={part} />;
  }
}

const Titled = ({ title, more, children }: { title: string; more?: ReactNode; children: ReactNode }) => (
  <section aria-label={title}>
    <Heading small={more}>{safeText(title)}</Heading>
    {children}
  </section>
);

type As = Extract<PartMade, { is: "measured" }>["as"];

function MeasuredPart({
  title,
  as,
  measured: m,
  window,
}: {
  title: string;
  as: As;
  measured: Measured;
  window: PartProps["window"];
}) {
  const [asTable, setAsTable] = useState(false);
  const change = sayChange(m.total.value, m.total.before);
  const unit = m.unit as Unit;
  const isChart = as === "course" || as === "hours of the week";
  return (
    <Titled
      title={title}
      more={
        isChart && <TextButton onClick={() => setAsTable(!asTable)}>{asTable ? "as a chart" : "as a table"}</TextButton>
      }
    >
      {as === "figure" ? (
        <p>
          <Link
            to={behind(m, window)}
            className="text-[1.75rem] leading-9 font-semibold text-ink no-underline tabular-nums hover:text-fjord"
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
      ) : as === "course" ? (
        asTable ? (
          <Steps measured={m} />
        ) : (
          <CourseChart measured={m} />
        )
      ) : as === "hours of the week" ? (
        asTable ? (
          <MeasuredRows measured={m} window={window} bars={false} />
        ) : (
          <HoursChart measured={m} />
        )
      ) : (
        <MeasuredRows measured={m} window={window} bars={as === "bars"} />
      )}
      <Open measured={m} />
    </Titled>
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
      {isRough && " ≈: right within 2.5 %, or at least that many different values."}
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
          <th className="pr-6 text-right font-normal">{m.unit || "value"}</th>
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

function Incidents({ part }: { part: Extract<PartMade, { is: "incidents" }> }) {
  const zone = useViewStore((s) => s.zone);
  return (
    <Titled title={part.title}>
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
    </Titled>
  );
}

function Records({ part, window }: { part: Extract<PartMade, { is: "records" }>; window: PartProps["window"] }) {
  const zone = useViewStore((s) => s.zone);
  return (
    <Titled title={part.title}>
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
    </Titled>
  );
}

function OwnFigures({ part }: { part: Extract<PartMade, { is: "own figures" }> }) {
  return (
    <Titled title={part.title}>
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
    </Titled>
  );
}
