import type { IncidentJson } from "@halvik/contract/incidents";
import { formatDuration } from "@halvik/core/base/time";
import { useEffect, useRef } from "react";
import { Link } from "react-router";
import { useWindow } from "../data/use-window";
import { useViewStore, usOf } from "../data/view-store";
import { Checkbox } from "../ui/checkbox";
import { Cut } from "../ui/cut";
import { SeverityMark } from "../ui/marks";
import { safeText } from "../ui/safe-text";
import { dayMinute } from "../ui/time";
import { Tooltip } from "../ui/tooltip";
import { NamedText } from "./address-names";
import { Ago } from "./ago";
import { howEnded } from "./how-ended";

const STRIP_COLUMNS =
  "grid-cols-[10px_minmax(0,3fr)_minmax(6.875rem,1fr)_3.125rem_5.25rem_5.5rem] max-wide:grid-cols-[10px_minmax(0,1fr)_3.125rem_8.5rem] max-slim:grid-cols-[10px_minmax(0,1fr)]";
const LANE = 250;

/** What stands in which column of the queue. @param choosable whether a box to choose by stands before each */
export const StripHeadings = ({ choosable = false }: { choosable?: boolean }) => (
  <div
    aria-hidden
    className={`grid ${STRIP_COLUMNS} gap-3 max-wide:hidden border-b border-line py-0.5 text-small text-quiet ${choosable ? "pr-1.5 pl-9" : "px-1.5"}`}
  >
    <span />
    <span>incident</span>
    <span>its evidence over time</span>
    <span className="text-right">urgency</span>
    <span className="text-right">quiet for</span>
    <span>assigned to</span>
  </div>
);

/** When the evidence of an incident fell, over its own life; and whether that lies outside the window on the rail. */
function Evidence({ incident: i }: { incident: IncidentJson }) {
  const zone = useViewStore((s) => s.zone);
  const window = useWindow();
  const fromUs = usOf(i.first);
  const spanUs = Math.max(usOf(i.last) - fromUs, 1);
  const outside = usOf(i.last) < window.fromUs ? "before" : fromUs > window.toUs ? "after" : null;
  const text = `from ${dayMinute(fromUs, zone)} to ${dayMinute(usOf(i.last), zone)}`;
  return (
    <span className="min-w-0 max-wide:order-last max-wide:col-start-2">
      <svg
        viewBox={`0 0 ${LANE} 20`}
        preserveAspectRatio="none"
        height={20}
        className="block w-full"
        role="img"
        aria-label={`evidence ${text}`}
      >
        <path d={`M0 16H${LANE}`} stroke="var(--line-strong)" />
        {i.moments.map((m, n) => (
          <rect
            key={n}
            x={Math.min(((usOf(m) - fromUs) / spanUs) * LANE, LANE - 2)}
            y={4}
            width={2}
            height={12}
            fill={i.state === "open" || i.stopped ? "var(--ochre)" : "var(--quiet)"}
          />
        ))}
      </svg>
      <Tooltip text={`Evidence ${text}${outside === null ? "" : `: ${outside} the window on the rail`}`}>
        <span className="block truncate text-small leading-4 text-quiet">
          {outside === "before" && "↓ "}
          {outside === "after" && "↑ "}
          {dayMinute(fromUs, zone)}
          {spanUs > MINUTE_US && `, ${roughly(spanUs)}`}
        </span>
      </Tooltip>
    </span>
  );
}

const MINUTE_US = 60_000_000;

/** The greatest unit of a duration: "6 d" of "6 d 17 h". */
const roughly = (us: number): string => formatDuration(us).split(" ").slice(0, 2).join(" ");

/** One incident in the queue: severity, title, what it is about, when its evidence fell, age, who saw it. */
export function IncidentStrip({
  incident: i,
  selected = false,
  chosen = false,
  onChoose,
}: {
  incident: IncidentJson;
  selected?: boolean;
  /** One of those that an act on several is for. */
  chosen?: boolean;
  onChoose?: () => void;
}) {
  const zone = useViewStore((s) => s.zone);
  const link = useRef<HTMLAnchorElement>(null);
  useEffect(() => {
    // keys lead from one to the next: the focus goes along, and says which
    if (selected) link.current?.focus();
  }, [selected]);
  const about = [...new Set(i.entities.map((e) => e.value))].slice(0, 6).join(" · ");
  const count = i.count === 1 ? "1 record" : `${i.count.toLocaleString("en")} records`;
  const look = selected ? "bg-fjord-wash shadow-[inset_2px_0_var(--fjord)]" : chosen ? "bg-wash" : "hover:bg-wash";
  const strip = (
    <Link
      ref={link}
      to={`/incidents/${i.id}`}
      aria-current={selected}
      className={`grid min-w-0 flex-1 ${STRIP_COLUMNS} items-center gap-3 py-2 text-ink no-underline ${onChoose ? "" : `border-b border-line px-1.5 ${look}`}`}
    >
      <SeverityMark severity={i.severity} height={34} />
      <span className="min-w-0">
        <span className="font-semibold">
          <NamedText>{i.title}</NamedText>
        </span>{" "}
        {i.newSinceSeen.length > 0 && <Tag attention>new since seen</Tag>}
        {i.explains.all > 0 && (
          <Tag>
            explains {i.explains.all}
            {i.explains.lasting < i.explains.all && `, ${i.explains.lasting} still last`}
          </Tag>
        )}
        {i.explainedBy && (
          <Tag>
            {i.folded ? "explained by" : "outlasts"} {i.explainedBy.id}
          </Tag>
        )}
        {i.returned > 0 && <Tag>{i.returned + 1} times</Tag>}
        {i.state !== "open" && <Tag>{howEnded(i)}</Tag>}
        <Cut text={`${safeText(about)} · ${count}`} className="text-ui leading-[1.125rem] text-quiet">
          <NamedText>{about}</NamedText> · {count}
        </Cut>
      </span>
      <Evidence incident={i} />
      <Tooltip text={`Urgency: ${i.urgency.parts.map(([why, points]) => `${why} ${points}`).join(", ")}`}>
        <span className="text-right text-code text-quiet max-slim:hidden">
          {i.urgency.score > 0 && (
            <>
              <span className="sr-only">urgency </span>
              {i.urgency.score}
            </>
          )}
        </span>
      </Tooltip>
      <Tooltip text={`Last evidence ${dayMinute(usOf(i.last), zone)}`}>
        <span className="text-right whitespace-nowrap text-quiet max-slim:col-start-2 max-slim:text-left">
          <span className="wide:hidden">quiet for </span>
          <Ago us={usOf(i.last)} />
        </span>
      </Tooltip>
      <span className="truncate text-quiet max-wide:order-last max-wide:col-span-2 max-slim:col-start-2">
        {i.shelved ? "shelved" : i.assignedTo ? i.assignedTo : i.acknowledged ? `seen, ${i.acknowledged.by}` : "–"}
      </span>
    </Link>
  );
  if (!onChoose) return strip;
  return (
    <div className={`flex items-center gap-2.5 border-b border-line px-1.5 ${look}`}>
      <Checkbox label={`Select ${i.title}`} checked={chosen} onChange={onChoose} />
      {strip}
    </div>
  );
}

export const Tag = ({ children, attention = false }: { children: React.ReactNode; attention?: boolean }) => (
  <span
    className={`mr-1 inline-block rounded-xs border whitespace-nowrap px-1.5 text-small leading-4 ${attention ? "border-vermilion text-vermilion" : "border-line-strong text-quiet"}`}
  >
    {children}
  </span>
);
