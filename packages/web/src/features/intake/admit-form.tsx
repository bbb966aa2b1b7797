import type { SenderJson } from "@halvik/contract/senders";
import { useId, useState } from "react";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";

/** What is said of a sender when it is admitted. */
export interface Admission {
  readonly name: string;
  readonly site: string | null;
}

/** What a sender is called and where it stands, said when it is admitted. */
export function AdmitForm({
  sender,
  sites,
  onAdmit,
  onCancel,
}: {
  sender: SenderJson;
  /** Where others stand. */
  sites: readonly string[];
  onAdmit: (facts: Admission) => void;
  onCancel: () => void;
}) {
  const list = useId();
  const [name, setName] = useState(sender.name);
  const [site, setSite] = useState("");
  return (
    <form
      className="grid grid-cols-[repeat(auto-fit,minmax(9.375rem,1fr))] items-end gap-x-3 border-b border-line bg-wash px-2 pt-1.5"
      aria-label={`Admit ${sender.name}`}
      onSubmit={(e) => {
        e.preventDefault();
        onAdmit({ name: name.trim(), site: site.trim() === "" ? null : site.trim() });
      }}
      onKeyDown={(e) => e.key === "Escape" && onCancel()}
    >
      <Field label="Name">
        {(id) => (
          <Input
            id={id}
            autoFocus
            required
            maxLength={120}
            className="font-mono"
            value={name}
            onFocus={(e) => e.target.select()}
            onChange={(e) => setName(e.target.value)}
          />
        )}
      </Field>
      <Field label="Site">
        {(id) => (
          <>
            <Input
              id={id}
              list={list}
              maxLength={120}
              placeholder="none"
              value={site}
              onChange={(e) => setSite(e.target.value)}
            />
            <datalist id={list}>
              {sites.map((s) => (
                <option key={s} value={s} />
              ))}
            </datalist>
          </>
        )}
      </Field>
      <span className="mb-3 flex gap-1.5">
        <Button main type="submit">
          Admit
        </Button>
        <Button onClick={onCancel} shortcut="Esc">
          Cancel
        </Button>
      </span>
    </form>
  );
}
