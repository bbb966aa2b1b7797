import type { BulkAct, BulkAnswer } from "@halvik/contract";
import { CLOSE_REASONS } from "@halvik/core/respond/incidents";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { request, sessionQuery } from "../../data/api";
import { isoOf, useViewStore } from "../../data/view-store";
import { Button } from "../../ui/button";
import { Menu, MenuItem } from "../../ui/menu";
import { SHELF } from "./shelf";

const UNDO_MS = 18_000;
const SAID: Readonly<Record<BulkAct["act"]["what"], string>> = {
  acknowledge: "acknowledged",
  assign: "assigned",
  shelve: "shelved",
  close: "closed",
};

/** Sends what is done to several incidents at once; what was done can be taken back for a while. */
export function useBulkAct(onDone: () => void) {
  const client = useQueryClient();
  const changed = () => {
    void client.invalidateQueries({ queryKey: ["incidents"] });
    void client.invalidateQueries({ queryKey: ["incident"] });
    void client.invalidateQueries({ queryKey: ["summary"] });
  };
  const undo = async (id: number) => {
    try {
      const { changed: back, refused } = await request<BulkAnswer>("POST", `/incidents/bulk/${id}/undo`, {});
      if (refused.length > 0) toast.error(`${refused.length} stay as they are: ${refused[0]!.why}`);
      else toast(`${counted(back.length)} as before`);
    } catch (e) {
      toast.error((e as Error).message);
    }
    changed();
  };
  const takeBack = (button: HTMLElement, id: number) => {
    // the button is on its way out: the next Enter is not for it
    button.blur();
    void undo(id);
  };
  return useMutation({
    mutationFn: (body: BulkAct) => request<BulkAnswer>("POST", "/incidents/bulk", body),
    onSuccess: ({ changed: done, refused, undo: id }, { act }) => {
      changed();
      onDone();
      const not = refused.length > 0 ? `; ${refused.length} not: ${refused[0]!.why}` : "";
      toast(`${counted(done.length)} ${SAID[act.what]}${not}`, {
        duration: UNDO_MS,
        ...(id === null ? {} : { action: { label: "Undo", onClick: (e) => takeBack(e.currentTarget, id) } }),
      });
    },
    onError: (e) => toast.error(e.message),
  });
}

const counted = (n: number): string => (n === 1 ? "One incident" : `${n} incidents`);

/** What can be done to the chosen ones. */
export function BulkBar({
  count,
  act,
  onNone,
  busy,
}: {
  count: number;
  act: (act: BulkAct["act"]) => void;
  onNone: () => void;
  busy: boolean;
}) {
  const nowUs = useViewStore((s) => s.nowUs);
  const session = useQuery(sessionQuery);
  return (
    <div
      role="toolbar"
      aria-label="Selected incidents"
      className="flex items-center gap-1.5 border-b border-line py-1.5"
    >
      <span className="mr-2 text-ui">{counted(count)} selected</span>
      <Button main shortcut="a" disabled={busy} onClick={() => act({ what: "acknowledge" })}>
        Acknowledge
      </Button>
      <Button disabled={busy} onClick={() => act({ what: "assign", to: session.data?.name ?? null })}>
        Assign to me
      </Button>
      <Menu align="start" trigger={<Button>Shelve …</Button>}>
        {SHELF.map(([name, us]) => (
          <MenuItem key={name} onSelect={() => act({ what: "shelve", until: isoOf(nowUs + us), why: "" })}>
            {name}
          </MenuItem>
        ))}
      </Menu>
      <Menu align="start" trigger={<Button>Close as …</Button>}>
        {CLOSE_REASONS.map((reason) => (
          <MenuItem key={reason} onSelect={() => act({ what: "close", reason, note: "" })}>
            {reason}
          </MenuItem>
        ))}
      </Menu>
      <Button className="ml-auto" shortcut="Esc" onClick={onNone}>
        None
      </Button>
    </div>
  );
}
