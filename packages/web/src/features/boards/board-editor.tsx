import { Board, freshTileId, placeBelow, sizeOf, type Tile, type TilePlace, type TileShows } from "@halvik/core/board";
import { useState } from "react";
import { WhichRecords } from "../../shared/which-records";
import { Button, TextButton } from "../../ui/button";
import { Checkbox } from "../../ui/checkbox";
import { Field, Input } from "../../ui/field";
import { Menu, MenuItem } from "../../ui/menu";
import { Heading, Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { EditGrid } from "./edit-grid";
import { TileForm } from "./tile-form";
import { TileSourceContext, useRailSource } from "./tile-source";
import { titleOf } from "./tile-view";
import { NEW_TILES } from "./tile-words";

interface BoardEditorProps {
  readonly title: string;
  readonly board: Board;
  /** Whether everybody sees it; null: that is not asked. */
  readonly shared: boolean | null;
  /** What else can be done with it. */
  readonly more?: React.ReactNode;
  /** @returns what is wrong; null: it is kept */
  readonly onSave: (board: Board, shared: boolean) => Promise<string | null>;
  readonly onLeave: () => void;
}

/** A board while it is changed: its tiles to be moved, and a form for the one that is chosen. */
export function BoardEditor({ title, board, shared, more, onSave, onLeave }: BoardEditorProps) {
  const [draft, setDraft] = useState(board);
  const [isShared, setShared] = useState(shared ?? false);
  const [chosen, setChosen] = useState<string | null>(board.tiles[0]?.id ?? null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [saving, setSaving] = useState(false);
  const source = useRailSource(draft.filter);
  const current = draft.tiles.find((t) => t.id === chosen) ?? null;
  const setTiles = (tiles: readonly Tile[]) => setDraft((d) => ({ ...d, tiles: [...tiles] }));
  const add = (shows: TileShows) => {
    const tile: Tile = {
      id: freshTileId(draft.tiles),
      at: placeBelow(draft.tiles, sizeOf(shows)),
      window: null,
      shows,
    };
    setTiles([...draft.tiles, tile]);
    setChosen(tile.id);
  };
  const move = (places: ReadonlyMap<string, TilePlace>) =>
    setDraft((d) => ({ ...d, tiles: d.tiles.map((t) => ({ ...t, at: places.get(t.id) ?? t.at })) }));
  const drop = () => {
    setTiles(draft.tiles.filter((t) => t.id !== chosen));
    setChosen(null);
  };
  const save = async () => {
    const parsed = Board.safeParse(draft);
    if (!parsed.success) {
      const issue = parsed.error.issues[0]!;
      const tile = issue.path[0] === "tiles" ? draft.tiles[Number(issue.path[1])] : undefined;
      if (tile !== undefined) setChosen(tile.id);
      setTrouble(`${tile === undefined ? issue.path.join(" ") : titleOf(tile.shows)}: ${issue.message}`);
      return;
    }
    setSaving(true);
    setTrouble(await onSave(parsed.data, isShared));
    setSaving(false);
  };
  return (
    <Page
      title={title}
      opened
      margin={
        <>
          {shared !== null && (
            <>
              <Heading>The board</Heading>
              <Field label="Name">
                {(id) => (
                  <Input
                    id={id}
                    maxLength={80}
                    value={draft.name}
                    onChange={(e) => setDraft({ ...draft, name: e.target.value })}
                  />
                )}
              </Field>
              <Field label="What it is for">
                {(id) => (
                  <Input
                    id={id}
                    maxLength={400}
                    value={draft.about}
                    onChange={(e) => setDraft({ ...draft, about: e.target.value })}
                  />
                )}
              </Field>
              <WhichRecords
                about="Of which records, in all of its tiles"
                placeholder="empty: every record"
                value={draft.filter}
                onChange={(filter) => setDraft({ ...draft, filter })}
              />
              <Checkbox checked={isShared} onChange={setShared} className="mb-2 text-ui">
                shared: everybody sees it, and may change it
              </Checkbox>
            </>
          )}
          <Heading small={current !== null && <TextButton onClick={drop}>remove</TextButton>}>The tile</Heading>
          {current === null ? (
            <p className="text-ui text-quiet">
              “change” at a tile opens its form. A tile is moved by its title and sized by its lower right corner.
            </p>
          ) : (
            <TileForm
              key={current.id}
              tile={current}
              onChange={(tile) => setTiles(draft.tiles.map((t) => (t.id === tile.id ? tile : t)))}
            />
          )}
        </>
      }
    >
      <div className="flex items-end justify-between gap-4 border-b border-line-strong pb-1.5">
        <h1 className="text-page leading-[1.625rem] font-semibold">{safeText(title)}</h1>
        <span className="flex flex-wrap gap-2">
          <Menu align="end" trigger={<Button>Add a tile</Button>}>
            {NEW_TILES.map(({ label, shows }) => (
              <MenuItem key={label} onSelect={() => add(shows)}>
                {label}
              </MenuItem>
            ))}
          </Menu>
          <Button main disabled={saving} onClick={() => void save()}>
            Save
          </Button>
          <Button onClick={onLeave}>Cancel</Button>
          {more}
        </span>
      </div>
      {trouble !== null && (
        <p role="alert" className="mt-1 text-vermilion">
          {safeText(trouble)}
        </p>
      )}
      <Scroller label="Tiles">
        {draft.tiles.length === 0 && <p className="mt-2 text-quiet">No tiles yet: “Add a tile” begins one.</p>}
        <TileSourceContext value={source}>
          <EditGrid tiles={draft.tiles} chosen={chosen} onChoose={setChosen} onMove={move} />
        </TileSourceContext>
      </Scroller>
    </Page>
  );
}
