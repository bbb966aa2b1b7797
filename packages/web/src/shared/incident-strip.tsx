import type { IncidentJson } from "@halvik/contract";
import { Link } from "react-router";
import { useWindow } from "../data/use-window";
import { useViewStore, usOf } from "../data/view-store";
import { Checkbox } from "../ui/checkbox";
import { SeverityMark } from "../ui/marks";
import { ago, dayMinute } from "../ui/time";
import { Tooltip } from "../ui/tooltip";
import { NamedText } from "./address-names";

const LANE = 250;

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
  const { nowUs, zone } = useViewStore();
  const window = useWindow();
  const about = [...new Set(i.entities.map((e) => e.value))].slice(0, 6).join(" · ");
  const look = selected ? "bg-fjord-wash shadow-[inset_2px_0_var(--fjord)]" : chosen ? "bg-wash" : "hover:bg-wash";
  const strip = (
    <Link
      to={`/incidents/${i.id}`}
      aria-current={selected}
      className={`grid min-w-0 flex-1 grid-cols-[10px_minmax(0,3fr)_minmax(110px,1fr)_34px_84px_88px] items-center gap-3 py-2 text-ink no-underline ${onChoose ? "" : `border-b border-line px-1.5 ${look}`}`}
    >
      <SeverityMark severity={i.severity} height={34} />
      <span className="min-w-0">
        <span className="font-semibold">
          <NamedText>{i.title}</NamedText>
        </span>{" "}
        {i.newSinceSeen.length > 0 && <Tag attention>new since seen</Tag>}
        {i.returned > 0 && <Tag>{i.returned + 1} times</Tag>}
        {i.state !== "open" && (
          <Tag>
            {i.state === "closed" ? `closed as ${i.closeReason}` : i.stopped ? "stopped, not judged" : "cleared"}
          </Tag>
        )}
        <span className="block truncate text-ui leading-[18px] text-quiet">
          <NamedText>{about}</NamedText> · {i.count.toLocaleString("en")} {i.count === 1 ? "record" : "records"}
        </span>
      </span>
      <svg
        viewBox={`0 0 ${LANE} 26`}
        preserveAspectRatio="none"
        height={26}
        className="w-full"
        role="img"
        aria-label={`evidence from ${dayMinute(usOf(i.first), zone)} to ${dayMinute(usOf(i.last), zone)}`}
      >
        <path d={`M0 20H${LANE}`} stroke="var(--line-strong)" />
        {i.moments.map((m, n) => {
          const x = ((usOf(m) - window.fromUs) / (window.toUs - window.fromUs)) * LANE;
          return x >= 0 && x <= LANE ? (
            <rect
              key={n}
              x={Math.min(x, LANE - 2)}
              y={8}
              width={2}
              height={12}
              fill={i.state === "open" || i.stopped ? "var(--ochre)" : "var(--quiet)"}
            />
          ) : null;
        })}
      </svg>
      <Tooltip text={`Urgency: ${i.urgency.parts.map(([why, points]) => `${why} ${points}`).join(", ")}`}>
        <span className="text-right text-code text-quiet">
          {i.urgency.score > 0 && (
            <>
              <span className="sr-only">urgency </span>
              {i.urgency.score}
            </>
          )}
        </span>
      </Tooltip>
      <Tooltip text={`Last evidence ${dayMinute(usOf(i.last), zone)}`}>
        <span className="text-right text-quiet">{ago(usOf(i.last), nowUs)}</span>
      </Tooltip>
      <span className="truncate text-quiet">
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
