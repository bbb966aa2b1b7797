import type { BoardKept, WallKept, WallList, WallMade } from "@halvik/contract/boards";
import { WALL_TURN } from "@halvik/core/board";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { request } from "../../data/api";
import { wallsQuery } from "../../data/board-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { Button, TextButton } from "../../ui/button";
import { Checkbox } from "../../ui/checkbox";
import { copyText } from "../../ui/copy-text";
import { Dialog } from "../../ui/dialog";
import { Field, Input } from "../../ui/field";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { dayMinute } from "../../ui/time";
import { TwiceButton } from "../../ui/twice-button";

/** Screens on the wall: each shows boards in turn by a token of its own, and can do nothing else. */
export function Walls({ boards }: { boards: readonly BoardKept[] }) {
  const client = useQueryClient();
  const { data } = useQuery(wallsQuery);
  const [making, setMaking] = useState(false);
  const [made, setMade] = useState<WallMade | null>(null);
  const remove = useMutation({
    mutationFn: (id: number) => request<WallList>("DELETE", `/walls/${id}`),
    onSuccess: (walls) => client.setQueryData(wallsQuery.queryKey, walls),
  });
  const nameOf = (id: number) => boards.find((b) => b.id === id)?.board.name ?? "one that is gone";
  return (
    <>
      <Heading small={<TextButton onClick={() => setMaking(true)}>put boards on a wall</TextButton>}>
        On the wall
      </Heading>
      {data?.walls.length === 0 && (
        <p className="text-ui text-quiet">
          No screen shows boards yet. One signs itself in by an address that is given to it once; it can look at its
          boards and do nothing else.
        </p>
      )}
      <ul>
        {data?.walls.map((w) => (
          <WallLine key={w.id} kept={w} nameOf={nameOf} onRemove={() => remove.mutate(w.id)} />
        ))}
      </ul>
      {remove.error && (
        <p role="alert" className="text-vermilion">
          {remove.error.message}
        </p>
      )}
      {made !== null && <Address token={made.token} onClose={() => setMade(null)} />}
      {making && (
        <NewWall
          boards={boards}
          onClose={() => setMaking(false)}
          onMade={(answer) => {
            client.setQueryData(wallsQuery.queryKey, { walls: answer.walls });
            setMade(answer);
            setMaking(false);
          }}
        />
      )}
    </>
  );
}

interface WallLineProps {
  readonly kept: WallKept;
  readonly nameOf: (board: number) => string;
  readonly onRemove: () => void;
}

function WallLine({ kept: { wall, author, lastUsed, expires }, nameOf, onRemove }: WallLineProps) {
  const zone = useViewStore((s) => s.zone);
  return (
    <li className="flex items-baseline gap-3 border-b border-line py-1">
      <span className="min-w-0 flex-1">
        <b className="font-semibold">{safeText(wall.name)}</b>{" "}
        <span className="text-quiet">
          {wall.boards.map((b) => safeText(nameOf(b))).join(", ")}
          {wall.boards.length > 1 && `, ${wall.turnSeconds} s each`}
        </span>
      </span>
      <span className="text-small whitespace-nowrap text-quiet">
        by {safeText(author)} ·{" "}
        {lastUsed === null ? "never asked for" : `last asked for ${dayMinute(usOf(lastUsed), zone)}`}
        {expires !== null && ` · until ${dayMinute(usOf(expires), zone)}`}
      </span>
      <TwiceButton inText first="take back" then="take it back for good" onSure={onRemove} />
    </li>
  );
}

function NewWall({
  boards,
  onClose,
  onMade,
}: {
  boards: readonly BoardKept[];
  onClose: () => void;
  onMade: (made: WallMade) => void;
}) {
  const zone = useViewStore((s) => s.zone);
  const [name, setName] = useState("");
  const [chosen, setChosen] = useState<readonly number[]>([]);
  const [turnSeconds, setTurn] = useState<number>(WALL_TURN.usual);
  const [theme, setTheme] = useState("night");
  const [days, setDays] = useState("");
  const make = useMutation({
    mutationFn: () =>
      request<WallMade>("POST", "/walls", {
        name,
        boards: chosen,
        turnSeconds,
        theme,
        zone,
        days: days === "" ? null : Number(days),
      }),
    onSuccess: onMade,
  });
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title="Put boards on a wall">
      <Field label="Which screen" hint="such as: control room, left">
        {(id) => <Input id={id} maxLength={80} value={name} onChange={(e) => setName(e.target.value)} />}
      </Field>
      <fieldset className="mb-2.5 text-ui">
        <legend className="text-quiet">Boards, in this order</legend>
        {boards.length === 0 && <p>A board must be kept first: a copy of the one called Wall is a beginning.</p>}
        {boards.map((b) => (
          <Checkbox
            key={b.id}
            checked={chosen.includes(b.id)}
            onChange={(on) => setChosen(on ? [...chosen, b.id] : chosen.filter((c) => c !== b.id))}
          >
            {safeText(b.board.name)}
          </Checkbox>
        ))}
      </fieldset>
      <div className="grid grid-cols-3 gap-3">
        <Field label="Seconds each">
          {(id) => (
            <Input
              id={id}
              type="number"
              min={WALL_TURN.least}
              max={WALL_TURN.most}
              value={turnSeconds}
              onChange={(e) => setTurn(Number(e.target.value))}
            />
          )}
        </Field>
        <Field label="Theme">
          {(id) => <Select id={id} value={theme} options={["night", "light"]} onChange={setTheme} className="w-full" />}
        </Field>
        <Field label="For days" hint="empty: until taken back">
          {(id) => (
            <Input
              id={id}
              inputMode="numeric"
              value={days}
              onChange={(e) => setDays(e.target.value.replace(/\D/g, "").slice(0, 4))}
            />
          )}
        </Field>
      </div>
      {make.error && (
        <p role="alert" className="mb-2 text-vermilion">
          {make.error.message}
        </p>
      )}
      <div className="flex gap-2">
        <Button
          main
          disabled={name.trim() === "" || chosen.length === 0 || make.isPending}
          onClick={() => make.mutate()}
        >
          Make its address
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </Dialog>
  );
}

/** The token stands behind the number sign: browsers do not send that on, and proxies do not write it down. */
function Address({ token, onClose }: { token: string; onClose: () => void }) {
  const address = `${location.origin}/wall#${token}`;
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      wide
      title="The address of this screen"
      about="It is shown this once. Open it on the screen; whoever has it sees these boards and can do nothing else."
    >
      <p className="mb-3 rounded-xs border border-line bg-wash p-2 font-mono text-code break-all">{address}</p>
      <div className="flex gap-2">
        <Button main onClick={() => void copyText(address)}>
          Copy
        </Button>
        <Button onClick={onClose}>Done</Button>
      </div>
    </Dialog>
  );
}
