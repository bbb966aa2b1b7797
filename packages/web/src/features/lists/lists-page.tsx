import type { Lists } from "@halvik/contract/lists";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { listsQuery, request } from "../../data/api";
import { useViewStore, usOf } from "../../data/view-store";
import { Button, TextButton } from "../../ui/button";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { Entries } from "./entries";
import { KIND_WORDS } from "./kind-words";
import { ListForm } from "./list-form";

type List = Lists["lists"][number];

/** Lists that filters and rules name: what is in them, until when, and what uses them. */
export function ListsPage() {
  const client = useQueryClient();
  const zone = useViewStore((s) => s.zone);
  const { data, error } = useQuery(listsQuery);
  const [open, setOpen] = useState<number | "new" | null>(null);
  const [editing, setEditing] = useState(false);
  const opened = data?.lists.find((l) => l.id === open) ?? null;
  const change = useMutation({
    mutationFn: ({ method, path, body }: { method: string; path: string; body?: object; said: string }) =>
      request<{ id?: number }>(method, `/lists${path}`, body),
    onSuccess: (answer, { said, method }) => {
      toast.success(said);
      void client.invalidateQueries({ queryKey: ["lists"] });
      setEditing(false);
      setOpen(method === "DELETE" ? null : (answer.id ?? open));
    },
    onError: (e) => toast.error(e.message),
  });
  const form = (list: List | null) => (
    <ListForm
      key={list?.id ?? "new"}
      list={list}
      busy={change.isPending}
      onSave={(body) =>
        change.mutate({
          method: list === null ? "POST" : "PATCH",
          path: list === null ? "" : `/${list.id}`,
          body,
          said: `“${body.name}” is saved`,
        })
      }
      onDelete={() => change.mutate({ method: "DELETE", path: `/${list?.id}`, said: "Deleted" })}
      onCancel={() => (list === null ? setOpen(null) : setEditing(false))}
    />
  );
  return (
    <Page
      title="Lists"
      opened={open !== null}
      margin={
        open === "new" ? (
          form(null)
        ) : opened === null ? null : editing ? (
          form(opened)
        ) : (
          <Entries key={opened.id} list={opened} onEdit={() => setEditing(true)} />
        )
      }
    >
      <div className="flex items-end justify-between gap-4 border-b border-line-strong pb-1.5">
        <div>
          <h1 className="text-page leading-[1.625rem] font-semibold">Lists</h1>
          <p className="text-quiet">
            Filters and rules name them: <code className="font-mono">src in list "known scanners"</code>
          </p>
        </div>
        <Button main onClick={() => setOpen("new")}>
          Add a list
        </Button>
      </div>
      <Scroller label="Lists">
        {error && <Trouble error={error} what="The lists cannot be shown" />}
        {data && data.lists.length === 0 && (
          <EmptyState
            title="No list yet"
            text="Addresses that scan, domains of one's own, people who have left: add values by hand, as a table (CSV) or as a bundle of STIX 2.1. A value may run out by itself."
          />
        )}
        {data && data.lists.length > 0 && (
          <table className="w-full text-ui">
            <thead>
              <tr className="text-left text-small text-quiet">
                {["name", "of", "entries", "next to run out", "used by"].map((h) => (
                  <th key={h} scope="col" className="py-1 pr-4 font-normal">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {data.lists.map((l) => (
                <tr
                  key={l.id}
                  className={`border-t border-line align-baseline ${l.id === open ? "bg-fjord-wash shadow-[inset_2px_0_var(--fjord)]" : ""}`}
                >
                  <td className="py-1 pr-4 pl-1.5">
                    <TextButton
                      onClick={() => {
                        setEditing(false);
                        setOpen(l.id);
                      }}
                    >
                      {safeText(l.name)}
                    </TextButton>
                    {l.about && <p className="text-code text-quiet">{safeText(l.about)}</p>}
                  </td>
                  <td className="py-1 pr-4 text-quiet">{KIND_WORDS[l.kind]}</td>
                  <td className="py-1 pr-4 tabular-nums">
                    {l.entries.toLocaleString("en")}
                    {l.expired > 0 && <span className="text-quiet"> and {l.expired.toLocaleString("en")} run out</span>}
                  </td>
                  <td className="py-1 pr-4 text-quiet">
                    {l.nextExpiry === null ? "none does" : dayMinute(usOf(l.nextExpiry), zone)}
                  </td>
                  <td className="py-1 text-quiet">
                    {l.usedBy.length === 0
                      ? "nothing"
                      : safeText(l.usedBy.map((u) => `${u.what} “${u.name}”`).join(", "))}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Scroller>
    </Page>
  );
}
