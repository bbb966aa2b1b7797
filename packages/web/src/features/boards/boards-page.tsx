import type { BoardKept } from "@halvik/contract/boards";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { boardsQuery } from "../../data/board-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { ButtonLink } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Heading, Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { Walls } from "./walls";

/** Boards of one's own, those that others share, those that ship; and the screens on the wall. */
export function BoardsPage() {
  const { data, error } = useQuery(boardsQuery);
  return (
    <Page title="Boards">
      <div className="flex items-end justify-between gap-4 border-b border-line-strong pb-1.5">
        <div>
          <h1 className="text-page leading-[1.625rem] font-semibold">Boards</h1>
          <p className="text-quiet">
            Figures that are always in sight. What stands on <Link to="/now">Now</Link> is{" "}
            <Link to="/reports/boards/now/edit">one’s own</Link> too.
          </p>
        </div>
        <ButtonLink to="/reports/boards/new">New board</ButtonLink>
      </div>
      <Scroller label="Boards">
        {error && <Trouble error={error} what="The boards cannot be shown" />}
        {data && (
          <>
            <Heading>Kept</Heading>
            {data.boards.length === 0 && (
              <p className="text-ui text-quiet">None yet: a copy of one that ships is a beginning.</p>
            )}
            <ul>
              {data.boards.map((b) => (
                <Kept key={b.id} kept={b} />
              ))}
            </ul>
            <Heading>Ready-made</Heading>
            <ul>
              {data.ready.map((b) => (
                <li key={b.name} className="border-b border-line py-1">
                  <Link to={`/reports/boards/ready/${encodeURIComponent(b.name)}`} className="font-semibold">
                    {b.name}
                  </Link>{" "}
                  <span className="text-quiet">{b.about}</span>
                </li>
              ))}
            </ul>
            <Walls boards={data.boards} />
          </>
        )}
      </Scroller>
    </Page>
  );
}

function Kept({ kept: { id, board, owner, shared, mine, changed, changedBy } }: { kept: BoardKept }) {
  const zone = useViewStore((s) => s.zone);
  return (
    <li className="flex items-baseline gap-3 border-b border-line py-1">
      <span className="min-w-0 flex-1">
        <Link to={`/reports/boards/${id}`} className="font-semibold">
          {safeText(board.name)}
        </Link>{" "}
        <span className="text-quiet">{safeText(board.about)}</span>
      </span>
      <span className="text-small whitespace-nowrap text-quiet">
        {mine ? (shared ? "yours, shared" : "yours") : `shared by ${safeText(owner)}`} · {board.tiles.length}{" "}
        {board.tiles.length === 1 ? "tile" : "tiles"} · {dayMinute(usOf(changed), zone)}, {safeText(changedBy)}
      </span>
    </li>
  );
}
