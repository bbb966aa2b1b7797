import type { TileAnswer } from "@halvik/contract/boards";
import type { Tile, TileShows } from "@halvik/core/board";
import { memo, type ReactNode, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { useViewStore, usOf } from "../../data/view-store";
import { behind } from "../../shared/parts/behind";
import { CourseChart } from "../../shared/parts/chart-course";
import { ProfileChart } from "../../shared/parts/chart-profile";
import { BigFigure, PartBody } from "../../shared/parts/part-view";
import { periodLabel } from "../../shared/period-words";
import { TextButton } from "../../ui/button";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { Tooltip } from "../../ui/tooltip";
import { useTile } from "./tile-source";
import { ClockTile, IntakeTile, LoadTile } from "./tiles/load";
import { LimitsTile, LinksTile } from "./tiles/near";
import { IncidentDaysTile, NightTile, SitesTile } from "./tiles/night";
import { QueueTile, SilentTile } from "./tiles/queue";
import { TileRows } from "./tiles/rows";

export const titleOf = (shows: TileShows): string => ("title" in shows ? shows.title : "");

/** A tile of a board: its title, whose window it is of, and what it shows. @param tools what can be done with it, while it is being changed */
export const TileView = memo(function TileView({ tile, tools }: { tile: Tile; tools?: ReactNode }) {
  const { data, error, isPending, isPlaceholderData } = useTile(tile);
  const title = titleOf(tile.shows);
  const room = useRef<HTMLElement>(null);
  const [asTable, setAsTable] = useState(false);
  useEffect(() => hideCut(room.current));
  return (
    <div className="flex h-full min-h-0 flex-col border-t border-line-strong pt-1">
      <h2 className="flex shrink-0 items-baseline gap-2 text-ui leading-[1.125rem] font-semibold">
        <span className="max-w-full min-w-0 shrink-0 truncate">
          {/* while it is moved by its title, that leads nowhere */}
          {data === undefined || tools !== undefined ? safeText(title) : <Title answer={data} title={title} />}
        </span>
        {data !== undefined && <Count made={data.made} />}
        {tile.window !== null && (
          <span className="min-w-0 truncate text-small font-normal text-quiet">{periodLabel(tile.window)}</span>
        )}
        <span className="ml-auto flex shrink-0 gap-2 font-normal">
          {data !== undefined && isChart(data.made) && (
            <TextButton className="text-small wall:hidden" onClick={() => setAsTable(!asTable)}>
              {asTable ? "as a chart" : "as a table"}
            </TextButton>
          )}
          {tools}
        </span>
      </h2>
      <section
        ref={room}
        aria-label={title === "" ? "Text" : title}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls must be reachable by keyboard (WCAG 2.1.1).
        tabIndex={0}
        className={`@container min-h-0 flex-1 overflow-y-auto wall:overflow-hidden ${isPlaceholderData ? "opacity-60" : ""}`}
      >
        {data !== undefined && <TileBody answer={data} asTable={asTable} />}
        {isPending && <p className="text-ui text-quiet">…</p>}
        {error && (
          <p role="alert" className="text-ui text-vermilion">
            {data === undefined ? "" : "As it was: "}
            {safeText(error.message)}
          </p>
        )}
      </section>
    </div>
  );
});

/** On a wall nobody scrolls: what there is no room for whole is not shown at all. */
function hideCut(room: HTMLElement | null): void {
  if (room === null || document.documentElement.dataset.wall === undefined) return;
  const { bottom } = room.getBoundingClientRect();
  for (const line of room.querySelectorAll<HTMLElement>("li, tr, p, dl > div"))
    line.style.visibility = line.getBoundingClientRect().bottom > bottom + 1 ? "hidden" : "";
}

/** The title leads to the page behind, with the filter and the window of the tile. */
function Title({ answer: { made, window }, title }: { answer: TileAnswer; title: string }) {
  const to =
    made.is === "measured"
      ? behind(made.measured, window)
      : made.is === "records"
        ? `/records?${new URLSearchParams({ filter: made.filter, from: window.from, to: window.to })}`
        : PAGES[made.is];
  if (to === undefined) return <>{safeText(title)}</>;
  const link = (
    <Link to={to} className="text-ink no-underline hover:text-fjord">
      {safeText(title)}
    </Link>
  );
  return made.is === "measured" ? (
    <>
      <Tooltip text={safeText(`${made.measured.says}: ${made.measured.reading}`)}>{link}</Tooltip>
      <NotWhole answer={made.measured} />
    </>
  ) : (
    link
  );
}

/** How many there are of what is listed, the ones there is no room for among them. */
function Count({ made }: Pick<TileAnswer, "made">) {
  const shown =
    made.is === "needs somebody" ? made.incidents : made.is === "silent senders" ? made.senders.silent : null;
  if (shown === null || !("more" in made) || typeof made.more !== "number" || shown.length + made.more === 0)
    return null;
  return <span className="shrink-0 font-normal text-quiet">{(shown.length + made.more).toLocaleString("en")}</span>;
}

const PAGES: Partial<Record<TileAnswer["made"]["is"], string>> = {
  "needs somebody": "/incidents",
  incidents: "/incidents",
  "silent senders": "/intake",
  limits: "/reports/limits",
  "fullest links": "/traffic",
  "incidents a day": "/incidents",
  "alarm load": "/load",
  intake: "/intake",
  sites: "/intake",
};

type Measured = Extract<TileAnswer["made"], { is: "measured" }>["measured"];

/** What the answer cannot say. */
function NotWhole({ answer: m }: { answer: Measured }) {
  const zone = useViewStore((s) => s.zone);
  if (m.complete) return null;
  return (
    <span className="ml-2 text-small font-normal text-ochre">
      at least, back to {dayMinute(usOf(m.coveredFrom), zone)}
    </span>
  );
}

/** What is drawn, and has a table one key away. */
const isChart = (made: TileAnswer["made"]): boolean =>
  made.is === "measured" &&
  (made.as === "hours of the week" ||
    ((made.as === "course" || made.as === "profile") && made.measured.steps.length > 0));

function TileBody({ answer: { made, window }, asTable }: { answer: TileAnswer; asTable: boolean }) {
  switch (made.is) {
    case "needs somebody":
      return <QueueTile made={made} />;
    case "silent senders":
      return <SilentTile made={made} />;
    case "limits":
      return <LimitsTile made={made} />;
    case "fullest links":
      return <LinksTile made={made} />;
    case "last night":
      return <NightTile made={made} />;
    case "sites":
      return <SitesTile made={made} />;
    case "incidents a day":
      return <IncidentDaysTile made={made} />;
    case "alarm load":
      return <LoadTile made={made} />;
    case "intake":
      return <IntakeTile made={made} />;
    case "clock":
      return <ClockTile made={made} />;
    case "measured": {
      const { as, measured } = made;
      if (as === "figure")
        return <BigFigure measured={measured} window={window} className="text-[1.875rem] leading-9 wall:text-[2rem]" />;
      if (as === "bars") return <TileRows measured={measured} window={window} />;
      // what tells of this moment has no course
      if (as === "course" && measured.steps.length > 0 && !asTable)
        return <CourseChart measured={measured} className="h-full min-h-24 wall:min-h-0" />;
      if (as === "profile" && measured.steps.length > 0 && !asTable)
        return <ProfileChart measured={measured} className="h-full min-h-24 wall:min-h-0" />;
      return <PartBody part={made} window={window} asTable={asTable || as === "course" || as === "profile"} />;
    }
    default:
      return <PartBody part={made} window={window} asTable={false} />;
  }
}
