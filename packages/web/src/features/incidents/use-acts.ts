import type { BulkAct, BulkAnswer } from "@halvik/contract/incidents";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { request } from "../../data/api";

export type Act = BulkAct["act"];

const UNDO_MS = 18_000;
const SAID: Readonly<Record<Act["what"], string>> = {
  acknowledge: "acknowledged",
  note: "noted",
  assign: "assigned",
  shelve: "shelved",
  close: "closed",
};

/** Sends what is done to one or several incidents; what was done can be taken back for a while. */
export function useActs(onDone: () => void) {
  const client = useQueryClient();
  const changed = () => {
    for (const key of ["incidents", "incident", "summary"]) void client.invalidateQueries({ queryKey: [key] });
  };
  const undo = async (id: number) => {
    try {
      const { changed: back, refused } = await request<BulkAnswer>("POST", `/incidents/bulk/${id}/undo`, {});
      if (refused.length > 0) toast.error(`${counted(refused.length)} not taken back: ${refused[0]!.why}`);
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

export const counted = (n: number): string => (n === 1 ? "One incident" : `${n} incidents`);
