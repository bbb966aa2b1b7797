import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate } from "react-router";
import { incidentsQuery } from "../../data/api";
import { nowBoardQuery } from "../../data/board-queries";
import { isoOf, useView, usOf } from "../../data/view-store";
import { usePageKeys } from "../../navigation/keys";
import { NamedText } from "../../shared/address-names";
import { DiskForecast } from "../../shared/disk-forecast";
import { IncidentStrip, StripHeadings } from "../../shared/incident-strip";
import { useCurrent } from "../../shared/use-current";
import { Trouble } from "../../ui/empty-state";
import { Heading, Page, Scroller } from "../../ui/page";
import { ago, dayMinute } from "../../ui/time";
import { BoardGrid } from "./board-grid";
import { useLastVisit } from "./last-visit";
import { TileSourceContext, useRailSource } from "./tile-source";

const NUMBERS = ["No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten"];

/** The first of all boards: the work queue stays its head, below it stands what somebody who arrives asks. */
export function NowPage() {
  const navigate = useNavigate();
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
  const board = useQuery(nowBoardQuery).data;
  const source = useRailSource("");
  return (
    <Page title={waiting.length === 0 ? "Now" : `(${waiting.length}) Now`}>
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
        {queue.error && <Trouble error={queue.error} what="The queue cannot be shown" />}
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
        {board && (
          <div className="mt-3">
            <TileSourceContext value={source}>
              <BoardGrid tiles={board.board.tiles} />
            </TileSourceContext>
            <p className="mt-3 text-small">
              <DiskForecast /> <Link to="/reports/boards/now/edit">Change what stands here</Link> ·{" "}
              <Link to="/reports/boards">Boards</Link>
            </p>
          </div>
        )}
      </Scroller>
    </Page>
  );
}

/** What became of incidents since this page was left. */
function SinceLastHere() {
  const { nowUs, zone } = useView("nowUs", "zone");
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

const STRIP_PX = 58;
/** What of the page's height is for the queue. */
const QUEUE_SHARE = 0.3;
const LEAST_SHOWN = 3;

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
