import type { AddedEntries, ListJson } from "@halvik/contract/lists";
import { FIELDS, type FieldName } from "@halvik/core/model/record";
import { MAX_FILTER_LENGTH, pastedValues, quoteIfNeeded } from "@halvik/core/query/filter";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { toast } from "sonner";
import type * as z from "zod";
import { request } from "../../data/api";
import { presentUs, useViewStore } from "../../data/view-store";
import { Button, TextButton } from "../../ui/button";
import { Dialog } from "../../ui/dialog";
import { Field, Input } from "../../ui/field";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { TextArea } from "../../ui/text-area";
import { dayMinute } from "../../ui/time";

/** Fields whose values somebody has a list of. */
const PASTED: readonly FieldName[] = ["address", "src", "dst", "user", "host", "app", "event", "interface"];
/** What is longer than this stands in a list, so that the filter stays one that can be read. */
const LONGEST_INLINE = Math.min(1_500, MAX_FILTER_LENGTH / 4);
const KEPT_DAYS = 30;
const DAY_MS = 86_400_000;
/** Entries that are sent at once. */
const AT_ONCE = 5_000;
const SHOWN = 5;

/** A filter by values that were copied from elsewhere: a few stand in the filter, many become a list that runs out by itself. */
export function PasteValues({ onAdd }: { readonly onAdd: (part: string) => void }) {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <TextButton onClick={() => setOpen(true)}>paste values</TextButton>
      <Dialog
        wide
        open={isOpen}
        onOpenChange={setOpen}
        title="Only with these values"
        about="Lines, a column of a table, a message with addresses in it: whatever was copied."
      >
        <Pasting
          onAdd={(part) => {
            setOpen(false);
            onAdd(part);
          }}
        />
      </Dialog>
    </>
  );
}

function Pasting({ onAdd }: { readonly onAdd: (part: string) => void }) {
  const zone = useViewStore((s) => s.zone);
  const client = useQueryClient();
  const [field, setField] = useState<FieldName>("address");
  const [text, setText] = useState("");
  const [name, setName] = useState(() => `pasted ${dayMinute(presentUs(), zone)}`);
  const [made, setMade] = useState<{ readonly id: number; readonly name: string } | null>(null);
  const isAddress = FIELDS.find((f) => f.name === field)?.type === "address";
  const read = useMemo(() => pastedValues(text, isAddress ? "address" : "text"), [text, isAddress]);
  const unread = [...new Set(read.unread)];
  const inline = `${field} in ${read.values.map(quoteIfNeeded).join(", ")}`;
  const isList = inline.length > LONGEST_INLINE;
  const keep = useMutation({
    mutationFn: async () => {
      // made once, also where filling it has to be tried again
      const list =
        made?.name === name
          ? made
          : await request<z.infer<typeof ListJson>>("POST", "/lists", { name, kind: isAddress ? "address" : "text" });
      setMade(list);
      const expires = new Date(presentUs() / 1_000 + KEPT_DAYS * DAY_MS).toISOString();
      let refused = 0;
      let reason = "";
      // a request has its length
      for (let i = 0; i < read.values.length; i += AT_ONCE) {
        const rows = read.values.slice(i, i + AT_ONCE).map((v) => `"${v.replaceAll('"', '""')}",${expires}`);
        const added = await request<z.infer<typeof AddedEntries>>("POST", `/lists/${list.id}/entries`, {
          as: "csv",
          text: ["value,expires", ...rows].join("\n"),
          source: "pasted",
        });
        refused += added.refused;
        reason ||= added.reasons.map((r) => `${r.what}: ${r.why}`)[0] ?? "";
      }
      await client.invalidateQueries({ queryKey: ["lists"] });
      return { refused, reason };
    },
    onSuccess: ({ refused, reason }) => {
      if (refused > 0) toast.warning(`Not in the list: ${refused.toLocaleString("en")}. ${reason}`);
      onAdd(`${field} in list "${name}"`);
    },
  });
  const isReady = read.values.length > 0 && (!isList || name.trim() !== "") && !keep.isPending;
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (!isReady) return;
        if (isList) keep.mutate();
        else onAdd(inline);
      }}
    >
      <Field label="Of which field">
        {(id) => (
          <Select id={id} value={field} options={PASTED} onChange={(v) => setField(v as FieldName)} className="w-48" />
        )}
      </Field>
      <Field label="Values">
        {(id) => (
          <TextArea
            id={id}
            rows={9}
            autoFocus
            className="font-mono !text-code"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        )}
      </Field>
      <p role="status" className="mb-2 text-ui text-quiet">
        {read.values.length.toLocaleString("en")}{" "}
        {read.values.length === 1 ? (isAddress ? "address" : "value") : isAddress ? "addresses" : "values"}
        {read.twice > 0 && `, ${read.twice.toLocaleString("en")} more than once`}
        {unread.length > 0 && (
          <>
            ; left out: {safeText(unread.slice(0, SHOWN).join(", "))}
            {unread.length > SHOWN && ` and ${(unread.length - SHOWN).toLocaleString("en")} more`}
          </>
        )}
      </p>
      {isList && (
        <Field label="They become a list" hint={`Its entries run out after ${KEPT_DAYS} days; it stands under Lists`}>
          {(id) => (
            <Input
              id={id}
              value={name}
              maxLength={80}
              onChange={(e) => setName(e.target.value.replace(/["\\]/g, ""))}
            />
          )}
        </Field>
      )}
      {keep.error && (
        <p role="alert" className="mb-2 text-vermilion">
          {keep.error.message}
        </p>
      )}
      <Button main type="submit" disabled={!isReady}>
        Look for them
      </Button>
    </form>
  );
}
