import type { BoardKept } from "@halvik/contract/boards";
import type { Board } from "@halvik/core/board";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { request } from "../../data/api";
import { boardQuery, boardsQuery, nowBoardQuery } from "../../data/board-queries";
import { Button, ButtonLink } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { DeleteButton, TwiceButton } from "../../ui/twice-button";
import { BoardEditor } from "./board-editor";
import { BoardGrid } from "./board-grid";
import { TileSourceContext, useRailSource } from "./tile-source";

/** A board that is kept. */
export function BoardPage() {
  const id = Number(useParams().id);
  const { data, error } = useQuery(boardQuery(id));
  if (error) return <NotShown error={error} />;
  if (data === undefined) return null;
  return (
    <Shown
      board={data.board}
      says={data.mine ? (data.shared ? "Yours, shared" : "Yours") : `Shared by ${data.owner}`}
      tools={
        <>
          <ButtonLink to={`/reports/boards/${id}/edit`}>Change</ButtonLink>
          <CopyButton board={data.board} />
        </>
      }
    />
  );
}

/** A board that ships. */
export function ReadyBoardPage() {
  const name = useParams().name!;
  const { data, error } = useQuery(boardsQuery);
  const board = data?.ready.find((b) => b.name === name);
  if (error) return <NotShown error={error} />;
  if (data === undefined) return null;
  if (board === undefined) return <NotShown error={new Error(`No board that ships is called “${name}”.`)} />;
  return <Shown board={board} says="Ready-made" tools={<CopyButton board={board} />} />;
}

const NotShown = ({ error }: { error: Error }) => (
  <Page title="Board">
    <Trouble error={error} what="The board cannot be shown" />
  </Page>
);

function Shown({ board, says, tools }: { board: Board; says: string; tools: ReactNode }) {
  const source = useRailSource(board.filter);
  return (
    <Page title={board.name}>
      <div className="flex items-end justify-between gap-4 border-b border-line-strong pb-1.5">
        <div className="min-w-0">
          <h1 className="text-page leading-[1.625rem] font-semibold">{safeText(board.name)}</h1>
          <p className="text-quiet">
            {board.about !== "" && `${safeText(board.about)} `}
            {safeText(says)}. <Link to="/reports/boards">All boards</Link>
          </p>
        </div>
        <span className="flex gap-2">{tools}</span>
      </div>
      <Scroller label="Tiles">
        {board.tiles.length === 0 && <p className="mt-2 text-quiet">It has no tiles yet: “Change” adds them.</p>}
        <div className="mt-2">
          <TileSourceContext value={source}>
            <BoardGrid tiles={board.tiles} />
          </TileSourceContext>
        </div>
      </Scroller>
    </Page>
  );
}

/** Begins a board of one's own with the tiles of this one. */
function CopyButton({ board }: { board: Board }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const copy = useMutation({
    mutationFn: () =>
      request<BoardKept>("POST", "/boards", { board: { ...board, name: `${board.name}, mine`.slice(0, 80) } }),
    onSuccess: ({ id }) => {
      void client.invalidateQueries({ queryKey: ["boards"] });
      void navigate(`/reports/boards/${id}/edit`);
    },
  });
  return (
    <>
      <Button disabled={copy.isPending} onClick={() => copy.mutate()}>
        Copy
      </Button>
      {copy.error && <span role="alert">{copy.error.message}</span>}
    </>
  );
}

const EMPTY: Board = { name: "", about: "", filter: "", tiles: [] };

export function NewBoardPage() {
  const client = useQueryClient();
  const navigate = useNavigate();
  return (
    <BoardEditor
      title="A new board"
      board={EMPTY}
      shared={false}
      onSave={(board, shared) =>
        troubleOf(async () => {
          const { id } = await request<BoardKept>("POST", "/boards", { board, shared });
          void client.invalidateQueries({ queryKey: ["boards"] });
          void navigate(`/reports/boards/${id}`);
        })
      }
      onLeave={() => void navigate("/reports/boards")}
    />
  );
}

export function EditBoardPage() {
  const id = Number(useParams().id);
  const client = useQueryClient();
  const navigate = useNavigate();
  const [trouble, setTrouble] = useState<string | null>(null);
  // written over what somebody changes meanwhile only when it is saved, and then it is refused
  const { data, error } = useQuery({ ...boardQuery(id), staleTime: Number.POSITIVE_INFINITY });
  if (error) return <NotShown error={error} />;
  if (data === undefined) return null;
  const remove = () =>
    troubleOf(async () => {
      await request("DELETE", `/boards/${id}`);
      void client.invalidateQueries({ queryKey: ["boards"] });
      void navigate("/reports/boards");
    }).then(setTrouble);
  return (
    <BoardEditor
      key={id}
      title={`Change ${data.board.name}`}
      board={data.board}
      shared={data.shared}
      more={
        data.mine && (
          <>
            <DeleteButton onDelete={() => void remove()} />
            {trouble !== null && <span role="alert">{trouble}</span>}
          </>
        )
      }
      onSave={(board, shared) =>
        troubleOf(async () => {
          await request<BoardKept>("PATCH", `/boards/${id}`, { board, shared, version: data.version });
          await client.invalidateQueries({ queryKey: ["boards"] });
          void navigate(`/reports/boards/${id}`);
        })
      }
      onLeave={() => void navigate(`/reports/boards/${id}`)}
    />
  );
}

/** One's own page of Now: what stands below the queue. */
export function EditNowPage() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [trouble, setTrouble] = useState<string | null>(null);
  const { data, error } = useQuery({ ...nowBoardQuery, staleTime: Number.POSITIVE_INFINITY });
  if (error) return <NotShown error={error} />;
  if (data === undefined) return null;
  const done = async () => {
    await client.invalidateQueries({ queryKey: ["boards", "now"] });
    void navigate("/now");
  };
  const takeShipped = () =>
    troubleOf(async () => {
      await request("DELETE", "/boards/now");
      await done();
    }).then(setTrouble);
  return (
    <BoardEditor
      key={String(data.own)}
      title="Change what stands on Now"
      board={data.board}
      shared={null}
      more={
        data.own && (
          <>
            <TwiceButton first="As it ships" then="Forget mine, for good" onSure={() => void takeShipped()} />
            {trouble !== null && <span role="alert">{trouble}</span>}
          </>
        )
      }
      onSave={(board) =>
        troubleOf(async () => {
          await request("PATCH", "/boards/now", { board });
          await done();
        })
      }
      onLeave={() => void navigate("/now")}
    />
  );
}

async function troubleOf(work: () => Promise<void>): Promise<string | null> {
  try {
    await work();
    return null;
  } catch (e) {
    return (e as Error).message;
  }
}
