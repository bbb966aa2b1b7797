import type { TileAnswer, WallShown } from "@halvik/contract/boards";
import { COLUMNS, type Tile } from "@halvik/core/board";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { RequestError, requestWith } from "../../data/api";
import { isoOf, useView, useViewStore } from "../../data/view-store";
import { safeText } from "../../ui/safe-text";
import { ago, setPresent } from "../../ui/time";
import { TooltipProvider } from "../../ui/tooltip";
import { type TileSource, TileSourceContext } from "./tile-source";
import { TileView } from "./tile-view";

/** What a wall looks at where a tile has no window of its own. */
const WINDOW_US = 24 * 3_600e6;
const TILES_MS = 10_000;
const SELF_MS = 60_000;
/** Without an answer for so long, what stands there is old. */
const STALE_US = 45e6;
/** A screen that nobody sits at is loaded anew so often: what a browser gathers in days goes, and a newer Halvik comes. */
const ANEW_MS = 6 * 3_600_000;
const LOOK_MS = 60_000;
/** Type on a wall at a width of 1920 pixels: 41.6, so that the smallest text is 28 high and figures more than 72. */
const TYPE = 41.6 / 1920;

/** A screen on the wall: boards in turn, nothing else. It signs itself in by the token behind the number sign of its address. */
export function WallPage() {
  const token = location.hash.slice(1);
  const wall = useQuery({
    queryKey: ["wall", token],
    queryFn: ({ signal }) => requestWith<WallShown>(token, "/wall", signal),
    refetchInterval: SELF_MS,
    refetchIntervalInBackground: true,
    retry: false,
    enabled: token !== "",
  });
  const isRefused = wall.error instanceof RequestError && [401, 403].includes(wall.error.status);
  if (token === "" || isRefused)
    return (
      <Plain
        text={
          token === ""
            ? "This address has no token. “Put boards on a wall” under Boards makes one."
            : "This screen has been taken back, or its time is over. “Put boards on a wall” under Boards makes a new address."
        }
      />
    );
  if (wall.data === undefined) return <Plain text={wall.error === null ? "…" : wall.error.message} />;
  if (wall.data.boards.length === 0) return <Plain text="The boards of this screen are not there any more." />;
  return (
    <TooltipProvider>
      <Turning token={token} wall={wall.data} isAway={wall.error !== null} />
    </TooltipProvider>
  );
}

const Plain = ({ text }: { text: string }) => (
  <main className="flex h-full items-center justify-center p-8 text-page">
    <title>Wall · Halvik</title>
    <p>{text}</p>
  </main>
);

function Turning({ token, wall, isAway }: { token: string; wall: WallShown; isAway: boolean }) {
  const { tick, nowUs } = useView("tick", "nowUs");
  const [at, setAt] = useState(0);
  const [heardUs, setHeardUs] = useState(() => Date.now() * 1_000);
  useEffect(() => {
    const root = document.documentElement;
    root.dataset.theme = wall.theme;
    root.dataset.wall = "";
    const size = () => {
      root.style.fontSize = `${Math.max(12, TYPE * innerWidth)}px`;
    };
    size();
    addEventListener("resize", size);
    return () => {
      removeEventListener("resize", size);
      root.style.fontSize = "";
      delete root.dataset.wall;
    };
  }, [wall.theme]);
  // of this screen alone: whoever signs in on it keeps their zone
  useEffect(() => useViewStore.setState({ zone: wall.zone }), [wall.zone]);
  useEffect(() => {
    const timer = setInterval(() => tick(Date.now() * 1_000), 1_000);
    return () => clearInterval(timer);
  }, [tick]);
  useEffect(() => {
    if (wall.boards.length < 2) return;
    const timer = setInterval(() => setAt((n) => n + 1), wall.turnSeconds * 1_000);
    return () => clearInterval(timer);
  }, [wall.boards.length, wall.turnSeconds]);
  const heard = useRef(heardUs);
  heard.current = heardUs;
  useEffect(() => {
    const loadedMs = Date.now();
    const timer = setInterval(() => {
      const isAnswered = Date.now() * 1_000 - heard.current < STALE_US;
      // while nothing answers, what stands there is better than nothing
      if (Date.now() - loadedMs > ANEW_MS && isAnswered) location.reload();
    }, LOOK_MS);
    return () => clearInterval(timer);
  }, []);
  setPresent(nowUs, wall.zone);
  const { id, board } = wall.boards[at % wall.boards.length]!;
  const source = useMemo<TileSource>(
    () => ({
      name: `wall ${id}`,
      windowKey: "wall",
      isLive: true,
      everyMs: TILES_MS,
      ask: async (tile, signal) => {
        const nowMs = Date.now();
        const asked = { from: isoOf(nowMs * 1_000 - WINDOW_US), to: isoOf(nowMs * 1_000), zone: wall.zone };
        const path = `/boards/${id}/tiles/${tile.id}?${new URLSearchParams(asked)}`;
        const answer = await requestWith<TileAnswer>(token, path, signal);
        setHeardUs(Date.now() * 1_000);
        return answer;
      },
    }),
    [id, token, wall.zone],
  );
  const staleUs = nowUs - heardUs;
  return (
    // nobody sits at it: nothing leads anywhere
    <main className="pointer-events-none flex h-full flex-col p-3 [&_a]:text-ink [&_a]:no-underline">
      <title>{`${wall.name} · Halvik`}</title>
      {(isAway || staleUs > STALE_US) && (
        <p role="alert" className="mb-2 shrink-0 bg-vermilion-wash px-2 text-body text-vermilion">
          Halvik does not answer: what stands here is {ago(heardUs, nowUs)} old.
        </p>
      )}
      <h1 className="flex shrink-0 justify-between pb-1 text-body font-semibold">
        {safeText(board.name)}
        {wall.boards.length > 1 && (
          <span className="font-normal text-quiet">
            {(at % wall.boards.length) + 1} of {wall.boards.length}
          </span>
        )}
      </h1>
      <TileSourceContext value={source}>
        <WallGrid key={id} tiles={board.tiles} />
      </TileSourceContext>
    </main>
  );
}

/** All tiles on one screen: rows as high as there is room for. */
function WallGrid({ tiles }: { tiles: readonly Tile[] }) {
  const rows = Math.max(1, ...tiles.map(({ at }) => at.y + at.h));
  return (
    <div
      className="grid min-h-0 flex-1 gap-2"
      style={{
        gridTemplateColumns: `repeat(${COLUMNS}, minmax(0, 1fr))`,
        gridTemplateRows: `repeat(${rows}, minmax(0, 1fr))`,
        rowGap: 0,
      }}
    >
      {tiles.map((tile) => (
        <div
          key={tile.id}
          className="min-h-0 min-w-0 overflow-hidden pb-2"
          style={{
            gridColumn: `${tile.at.x + 1} / span ${tile.at.w}`,
            gridRow: `${tile.at.y + 1} / span ${tile.at.h}`,
          }}
        >
          <TileView tile={tile} />
        </div>
      ))}
    </div>
  );
}
