import { useMutation, useQuery } from "@tanstack/react-query";
import { Dialog, DropdownMenu } from "radix-ui";
import { type FormEvent, useState } from "react";
import { queryClient, request, savedFiltersQuery } from "../../data/api";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { safeText } from "../../ui/safe-text";
import { recentFilters } from "./recent-filters";

interface SavedFiltersProps {
  readonly filter: string;
  readonly onPick: (text: string) => void;
}

/** Filters kept by name, and those used lately on this machine. */
export function SavedFilters({ filter, onPick }: SavedFiltersProps) {
  const saved = useQuery(savedFiltersQuery);
  const [saving, setSaving] = useState(false);
  const item = "flex cursor-pointer justify-between gap-4 px-3 py-1 data-highlighted:bg-wash";
  const forget = useMutation({
    mutationFn: (id: number) => request("DELETE", `/filters/${id}`),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: ["filters"] }),
  });
  const recent = recentFilters();
  const filters = saved.data?.filters ?? [];
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="text-fjord">saved and recent</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            // the form that opened has the focus, not the button that the menu came from
            onCloseAutoFocus={(e) => saving && e.preventDefault()}
            className="z-20 max-h-[70vh] w-[420px] overflow-y-auto rounded-[2px] border border-line-strong bg-sheet py-1 text-[13px] shadow-lg"
          >
            {filter !== "" && (
              <DropdownMenu.Item className={item} onSelect={() => setSaving(true)}>
                Keep this filter under a name …
              </DropdownMenu.Item>
            )}
            <DropdownMenu.Label className="px-3 py-1 text-[12px] text-quiet">
              {filters.length === 0 ? "No filter is kept yet" : "Kept"}
            </DropdownMenu.Label>
            {filters.map((f) => (
              <DropdownMenu.Sub key={f.id}>
                <DropdownMenu.SubTrigger className={item}>
                  <span className="truncate">{safeText(f.name)}</span>
                  <span className="shrink-0 text-quiet">
                    {f.mine ? (f.shared ? "shared by you" : "yours") : `by ${safeText(f.owner)}`}
                  </span>
                </DropdownMenu.SubTrigger>
                <DropdownMenu.Portal>
                  <DropdownMenu.SubContent className="z-20 w-80 rounded-[2px] border border-line-strong bg-sheet py-1 text-[13px] shadow-lg">
                    <DropdownMenu.Label className="px-3 py-1 font-mono text-[12px] break-words text-quiet">
                      {safeText(f.text)}
                    </DropdownMenu.Label>
                    <DropdownMenu.Item className={item} onSelect={() => onPick(`filter "${f.name}"`)}>
                      Use it by its name
                    </DropdownMenu.Item>
                    <DropdownMenu.Item className={item} onSelect={() => onPick(f.text)}>
                      Use what it says
                    </DropdownMenu.Item>
                    {f.mine && (
                      <DropdownMenu.Item className={item} onSelect={() => forget.mutate(f.id)}>
                        Forget it
                      </DropdownMenu.Item>
                    )}
                  </DropdownMenu.SubContent>
                </DropdownMenu.Portal>
              </DropdownMenu.Sub>
            ))}
            <DropdownMenu.Label className="px-3 py-1 text-[12px] text-quiet">
              {recent.length === 0 ? "None was used on this machine yet" : "Used lately"}
            </DropdownMenu.Label>
            {recent.map((text) => (
              <DropdownMenu.Item key={text} className={`${item} font-mono text-[12px]`} onSelect={() => onPick(text)}>
                <span className="truncate">{safeText(text)}</span>
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {forget.error && (
        <span role="alert" className="text-vermilion">
          {safeText(forget.error.message)}
        </span>
      )}
      <Dialog.Root open={saving} onOpenChange={setSaving}>
        <Dialog.Portal>
          <Dialog.Overlay className="fixed inset-0 z-20 bg-ink/20" />
          <Dialog.Content
            aria-describedby={undefined}
            className="fixed top-24 left-1/2 z-30 w-[420px] -translate-x-1/2 rounded-[2px] border border-line-strong bg-sheet p-5 shadow-lg"
          >
            <Dialog.Title className="mb-2 text-[17px] font-semibold">Keep this filter</Dialog.Title>
            <Keep text={filter} onDone={() => setSaving(false)} />
          </Dialog.Content>
        </Dialog.Portal>
      </Dialog.Root>
    </>
  );
}

function Keep({ text, onDone }: { text: string; onDone: () => void }) {
  const [name, setName] = useState("");
  const [shared, setShared] = useState(false);
  const keep = useMutation({
    mutationFn: () => request("POST", "/filters", { name, text, shared }),
    onSuccess: async () => {
      await queryClient.invalidateQueries({ queryKey: ["filters"] });
      onDone();
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    keep.mutate();
  };
  return (
    <form onSubmit={submit}>
      <p className="mb-2 font-mono text-[12px] break-words text-quiet">{safeText(text)}</p>
      <Field label="Name" error={keep.error?.message} hint='Others use it as filter "name".'>
        {(id) => <Input id={id} value={name} onChange={(e) => setName(e.target.value)} maxLength={80} />}
      </Field>
      <label className="mb-2 flex items-center gap-2">
        <input type="checkbox" checked={shared} onChange={(e) => setShared(e.target.checked)} /> for everyone here
      </label>
      <div className="flex gap-2">
        <Button type="submit" main disabled={name.trim() === "" || keep.isPending}>
          Keep
        </Button>
        <Button onClick={onDone}>Leave it</Button>
      </div>
    </form>
  );
}
