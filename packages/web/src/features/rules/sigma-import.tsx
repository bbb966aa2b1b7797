import type { SigmaRead } from "@halvik/contract/rules";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { toast } from "sonner";
import { request } from "../../data/api";
import { useDirectory } from "../../data/use-directory";
import { FilterField } from "../../shared/filter-field";
import { Button } from "../../ui/button";
import { Dialog } from "../../ui/dialog";
import { Trouble } from "../../ui/empty-state";
import { Field } from "../../ui/field";
import { CONTROL } from "../../ui/look";
import { safeText } from "../../ui/safe-text";

type Outcome = SigmaRead["outcomes"][number];
const NO_VALUES = () => Promise.resolve([]);

/** A file of Sigma: what its rules become, what they cannot be and why, and what its log sources are here. */
export function SigmaImport({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const client = useQueryClient();
  const file = useRef<HTMLInputElement>(null);
  const [text, setText] = useState("");
  const [sources, setSources] = useState<Readonly<Record<string, string>>>({});
  const read = useMutation({
    mutationFn: (body: { text: string; sources: Readonly<Record<string, string>> }) =>
      request<SigmaRead>("POST", "/rules/sigma", body),
  });
  const outcomes = read.data?.outcomes ?? [];
  const fine = outcomes.filter((o) => o.text !== null);
  const save = useMutation({
    mutationFn: async () => {
      for (const o of fine) await request("POST", "/rules", { text: o.text });
    },
    onSuccess: () => {
      toast.success(`${fine.length} ${fine.length === 1 ? "rule is" : "rules are"} saved`);
      onOpenChange(false);
    },
    onError: (e) => toast.error(e.message),
    onSettled: () => void client.invalidateQueries({ queryKey: ["rules"] }),
  });
  const choose = async (chosen: File | undefined) => {
    if (chosen === undefined) return;
    const content = await chosen.text();
    setText(content);
    setSources({});
    read.mutate({ text: content, sources: {} });
  };
  const say = (key: string, filter: string) => {
    const next = { ...sources, [key]: filter };
    setSources(next);
    read.mutate({ text, sources: next });
  };
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title="Import Sigma"
      about="Rules and correlations of the specification. What cannot be said faithfully is refused, never weakened."
      wide
    >
      <input
        ref={file}
        type="file"
        aria-label="A file of Sigma"
        accept=".yml,.yaml"
        className="hidden"
        onChange={(e) => {
          void choose(e.target.files?.[0]);
          e.target.value = "";
        }}
      />
      <Button main={text === ""} onClick={() => file.current?.click()}>
        Choose a file
      </Button>
      {read.error && <Trouble error={read.error} what="The file cannot be read" />}
      {outcomes.length > 0 && <Sources outcomes={outcomes} onSay={say} />}
      {outcomes.map((o, i) => (
        <div key={`${i} ${o.name}`} className="border-t border-line py-1 text-ui">
          <b className="font-semibold">{safeText(o.name)}</b>{" "}
          {o.text === null ? (
            <span className="text-vermilion">
              refused: {safeText(o.why)} {o.at !== "" && <code className="font-mono text-code">{safeText(o.at)}</code>}
            </span>
          ) : (
            <span className="text-quiet">
              {o.isKnown ? "becomes the next version of" : "becomes"} {o.id}
              {o.notes.length > 0 && `; ${safeText(o.notes.join("; "))}`}
            </span>
          )}
        </div>
      ))}
      {fine.length > 0 && (
        <div className="mt-3 flex gap-1.5">
          <Button main disabled={save.isPending} onClick={() => save.mutate()}>
            Save {fine.length === 1 ? "one rule" : `${fine.length} rules`}
          </Button>
          <Button onClick={() => onOpenChange(false)}>Cancel</Button>
        </div>
      )}
    </Dialog>
  );
}

/** The log sources of a file and the filter that each is here: seen, and said otherwise. */
function Sources({ outcomes, onSay }: { outcomes: readonly Outcome[]; onSay: (key: string, filter: string) => void }) {
  const directory = useDirectory();
  const known = new Map<string, string>();
  for (const o of outcomes) {
    if (o.source !== null && o.source.key !== "") known.set(o.source.key, o.source.filter);
    else if (o.unknownSource !== null && !known.has(o.unknownSource)) known.set(o.unknownSource, "");
  }
  return (
    <div className="my-2">
      {[...known].map(([key, filter]) => (
        <Field key={key} label={`What “${key}” is here`} hint="A filter; enter reads the file with it.">
          {() => (
            <FilterField
              label={`What ${key} is here`}
              placeholder="such as: kind is syslog and app is ferry"
              className={CONTROL}
              value={filter}
              directory={directory}
              saved={[]}
              zone="UTC"
              valuesOf={NO_VALUES}
              onChange={() => undefined}
              onSubmit={(text) => onSay(key, text)}
            />
          )}
        </Field>
      ))}
    </div>
  );
}
