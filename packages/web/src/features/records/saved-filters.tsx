import { useMutation, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { queryClient, request, savedFiltersQuery } from "../../data/api";
import { recentFilters } from "../../data/recent-filters";
import { Button, TextButton } from "../../ui/button";
import { Checkbox } from "../../ui/checkbox";
import { Dialog } from "../../ui/dialog";
import { Field, Input } from "../../ui/field";
import { Menu, MenuItem, MenuLabel, MenuSub } from "../../ui/menu";
import { safeText } from "../../ui/safe-text";

interface SavedFiltersProps {
  readonly filter: string;
  readonly onPick: (text: string) => void;
}

/** Filters saved by name, and those used lately on this machine. */
export function SavedFilters({ filter, onPick }: SavedFiltersProps) {
  const saved = useQuery(savedFiltersQuery);
  const [saving, setSaving] = useState(false);
  const remove = useMutation({
    mutationFn: (id: number) => request("DELETE", `/filters/${id}`),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: ["filters"] }),
  });
  const recent = recentFilters();
  const filters = saved.data?.filters ?? [];
  return (
    <>
      <Menu
        className="w-[26.25rem]"
        // the form that opened has the focus, not the button that the menu came from
        keepsFocus={!saving}
        trigger={<TextButton>saved and recent</TextButton>}
      >
        {filter !== "" && <MenuItem onSelect={() => setSaving(true)}>Save this filter …</MenuItem>}
        <MenuLabel>{filters.length === 0 ? "No filter is saved yet" : "Saved"}</MenuLabel>
        {filters.map((f) => (
          <MenuSub
            key={f.id}
            name={
              <>
                <span className="truncate">{safeText(f.name)}</span>
                <span className="shrink-0 text-quiet">
                  {f.mine ? (f.shared ? "shared by you" : "yours") : `by ${safeText(f.owner)}`}
                </span>
              </>
            }
          >
            <MenuLabel>
              <span className="font-mono break-words">{safeText(f.text)}</span>
            </MenuLabel>
            <MenuItem onSelect={() => onPick(`filter "${f.name}"`)}>Use it by its name</MenuItem>
            <MenuItem onSelect={() => onPick(f.text)}>Use what it says</MenuItem>
            {f.mine && <MenuItem onSelect={() => remove.mutate(f.id)}>Delete it</MenuItem>}
          </MenuSub>
        ))}
        <MenuLabel>{recent.length === 0 ? "None used in this browser yet" : "Recent"}</MenuLabel>
        {recent.map((text) => (
          <MenuItem key={text} onSelect={() => onPick(text)}>
            <span className="truncate font-mono text-small">{safeText(text)}</span>
          </MenuItem>
        ))}
      </Menu>
      {remove.error && (
        <span role="alert" className="text-vermilion">
          {safeText(remove.error.message)}
        </span>
      )}
      <Dialog open={saving} onOpenChange={setSaving} title="Save this filter">
        <Save text={filter} onDone={() => setSaving(false)} />
      </Dialog>
    </>
  );
}

function Save({ text, onDone }: { text: string; onDone: () => void }) {
  const [name, setName] = useState("");
  const [shared, setShared] = useState(false);
  const save = useMutation({
    mutationFn: () => request("POST", "/filters", { name, text, shared }),
    onSuccess: async () => {
      await queryClient.invalidateQueries({ queryKey: ["filters"] });
      onDone();
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate();
  };
  return (
    <form onSubmit={submit}>
      <p className="mb-2 font-mono text-small break-words text-quiet">{safeText(text)}</p>
      <Field label="Name" error={save.error?.message} hint='Others use it as filter "name".'>
        {(id) => <Input id={id} value={name} onChange={(e) => setName(e.target.value)} maxLength={80} />}
      </Field>
      <Checkbox checked={shared} onChange={setShared} className="mb-2">
        shared with everyone
      </Checkbox>
      <div className="flex gap-2">
        <Button type="submit" main disabled={name.trim() === "" || save.isPending}>
          Save
        </Button>
        <Button onClick={onDone}>Cancel</Button>
      </div>
    </form>
  );
}
