import type { BoardKept } from "@halvik/contract/boards";
import { freshTileId, placeBelow, sizeOf, type TileShows } from "@halvik/core/board";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { request } from "../data/api";
import { boardsQuery } from "../data/board-queries";
import { type BoardChoice, usePutOnBoard, usePuttingOnBoard } from "../shared/put-on-board";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field, Input } from "../ui/field";
import { NEW_PLACE, PlaceFields } from "./place-fields";

/** Puts what a page shows on a board that is kept, or on a new one. */
export function PutOnBoardDialog() {
  const doing = usePuttingOnBoard();
  const { begin } = usePutOnBoard();
  return doing === null ? null : <Choosing choices={doing} onClose={() => begin(null)} />;
}

function Choosing({ choices, onClose }: { choices: readonly BoardChoice[]; onClose: () => void }) {
  const client = useQueryClient();
  const { data } = useQuery(boardsQuery);
  const [which, setWhich] = useState("0");
  const [board, setBoard] = useState<string | null>(null);
  const [name, setName] = useState("");
  const [title, setTitle] = useState<string | null>(null);
  const { tile } = (choices[Number(which)] ?? choices[0])!;
  const kept = data?.boards ?? [];
  // somebody else's that everybody sees is changed only by who chooses it
  const first = kept.find((b) => b.mine);
  const chosen = board ?? (first === undefined ? NEW_PLACE : String(first.id));
  const shows: TileShows = title === null || !("title" in tile.shows) ? tile.shows : { ...tile.shows, title };
  const keep = useMutation({
    mutationFn: async () => {
      const before = kept.find((b) => String(b.id) === chosen);
      const tiles = before?.board.tiles ?? [];
      const added = {
        id: freshTileId(tiles),
        at: placeBelow(tiles, sizeOf(shows)),
        window: tile.window,
        shows,
      };
      if (before === undefined)
        return request<BoardKept>("POST", "/boards", { board: { name, tiles: [added] }, shared: false });
      const { id, shared, version } = before;
      const changed = { ...before.board, tiles: [...tiles, added] };
      return request<BoardKept>("PATCH", `/boards/${id}`, { board: changed, shared, version });
    },
    onSuccess: ({ id, board: { name: called } }) => {
      void client.invalidateQueries({ queryKey: ["boards"] });
      toast.success(
        <span>
          It stands on <Link to={`/reports/boards/${id}`}>{called}</Link>.
        </span>,
      );
      onClose();
    },
    // somebody has changed that board meanwhile: the next time it is seen as it is
    onError: () => void client.invalidateQueries({ queryKey: ["boards"] }),
  });
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title="Put on a board">
      <PlaceFields
        choices={choices}
        which={which}
        onWhich={(v) => {
          setWhich(v);
          setTitle(null);
        }}
        label="Board"
        places={kept.map((b) => ({
          value: String(b.id),
          label: b.board.name,
          ...(b.mine ? {} : { about: `shared by ${b.owner}` }),
        }))}
        place={chosen}
        onPlace={setBoard}
        name={name}
        onName={setName}
        longestName={80}
      />
      {"title" in shows && (
        <Field label="Title">
          {(id) => <Input id={id} maxLength={120} value={shows.title} onChange={(e) => setTitle(e.target.value)} />}
        </Field>
      )}
      {keep.error && (
        <p role="alert" className="mb-2 text-vermilion">
          {keep.error.message}
        </p>
      )}
      <div className="flex gap-2">
        <Button
          main
          disabled={keep.isPending || (chosen === NEW_PLACE && name.trim() === "")}
          onClick={() => keep.mutate()}
        >
          Put it there
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </Dialog>
  );
}
