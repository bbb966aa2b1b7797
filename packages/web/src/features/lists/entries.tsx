import type { AddedEntries, Lists } from "@halvik/contract/lists";
import { readMoment } from "@halvik/core/base/time";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { listEntriesQuery, request } from "../../data/api";
import { isoOf, presentUs, useViewStore, usOf } from "../../data/view-store";
import { Button, ButtonLink, TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Field, Input } from "../../ui/field";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";

/** What is in a list: to add to by hand or by a file, to look through, to take out of. */
export function Entries({ list, onEdit }: { list: Lists["lists"][number]; onEdit: () => void }) {
  const client = useQueryClient();
  const zone = useViewStore((s) => s.zone);
  const [text, setText] = useState("");
  const [value, setValue] = useState("");
  const [note, setNote] = useState("");
  const [until, setUntil] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const { data, error } = useQuery(listEntriesQuery(list.id, text));
  const changed = () => void client.invalidateQueries({ queryKey: ["lists"] });
  const add = useMutation({
    mutationFn: (body: object) => request<AddedEntries>("POST", `/lists/${list.id}/entries`, body),
    onSuccess: changed,
  });
  const remove = useMutation({
    mutationFn: (entry: number) => request("DELETE", `/lists/${list.id}/entries/${entry}`),
    onSuccess: changed,
  });
  const addOne = () => {
    const day = until === "" ? null : readMoment(until, presentUs(), zone);
    const expires = day === null ? null : isoOf(day);
    add.mutate({ as: "value", value, note, expires }, { onSuccess: (a) => a.refused === 0 && setValue("") });
  };
  const addFile = async (chosen: File | undefined) => {
    if (chosen === undefined) return;
    const content = await chosen.text();
    const as = content.trimStart().startsWith("{") ? "stix" : "csv";
    add.mutate({ as, text: content, source: chosen.name.slice(0, 120) });
  };
  const field = { address: "src", domain: "host", text: "user" }[list.kind];
  return (
    <>
      <div className="flex items-baseline justify-between gap-2">
        <h2 className="min-w-0 text-title font-semibold break-words">{safeText(list.name)}</h2>
        <Button onClick={onEdit}>Edit</Button>
      </div>
      <p className="mb-2 text-ui">
        <ButtonLink to={`/records?${new URLSearchParams({ filter: `${field} in list "${list.name}"` })}`}>
          Records with one of them
        </ButtonLink>
      </p>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          addOne();
        }}
      >
        <Field label="Value">
          {(id) => <Input id={id} value={value} onChange={(e) => setValue(e.target.value)} />}
        </Field>
        <Field label="Note">{(id) => <Input id={id} value={note} onChange={(e) => setNote(e.target.value)} />}</Field>
        <Field label="Holds until" hint="Until that day begins. Empty: it does not run out.">
          {(id) => (
            <Input id={id} type="date" max="9999-12-31" value={until} onChange={(e) => setUntil(e.target.value)} />
          )}
        </Field>
        <div className="flex gap-1.5">
          <Button main type="submit" disabled={value.trim() === "" || add.isPending}>
            Add
          </Button>
          <Button disabled={add.isPending} onClick={() => file.current?.click()}>
            Add a file (CSV, STIX 2.1)
          </Button>
          <input
            ref={file}
            type="file"
            aria-label="A file to add"
            accept=".csv,.txt,.json"
            className="hidden"
            onChange={(e) => {
              void addFile(e.target.files?.[0]);
              e.target.value = "";
            }}
          />
        </div>
      </form>
      {add.error && <Trouble error={add.error} what="It was not added" />}
      {add.data && <Outcome outcome={add.data} />}
      <Heading small={data && data.more > 0 ? `${data.more.toLocaleString("en")} more are not shown` : undefined}>
        Entries
      </Heading>
      <Field label="Those with">
        {(id) => <Input id={id} value={text} onChange={(e) => setText(e.target.value)} />}
      </Field>
      {error && <Trouble error={error} what="The entries cannot be shown" />}
      {data?.entries.map((e) => (
        <div key={e.id} className="flex items-baseline justify-between gap-2 border-t border-line py-0.5 text-ui">
          <span className="min-w-0">
            <span className={`font-mono text-code break-all ${e.expired ? "text-quiet line-through" : ""}`}>
              {safeText(e.value)}
            </span>{" "}
            <span className="text-code text-quiet">
              {safeText([e.note, e.source].filter(Boolean).join(", "))}
              {e.expires !== null && ` ${e.expired ? "ran out" : "until"} ${dayMinute(usOf(e.expires), zone)}`}
            </span>
          </span>
          <TextButton aria-label={`Without ${e.value}`} disabled={remove.isPending} onClick={() => remove.mutate(e.id)}>
            remove
          </TextButton>
        </div>
      ))}
      {data?.entries.length === 0 && (
        <p className="text-ui text-quiet">{text === "" ? "None yet." : "None like that."}</p>
      )}
    </>
  );
}

function Outcome({ outcome: { added, renewed, refused, reasons } }: { outcome: AddedEntries }) {
  return (
    <div role="status" className="mt-2 text-ui">
      {added.toLocaleString("en")} added
      {renewed > 0 && `, ${renewed.toLocaleString("en")} stood in it and were renewed`}
      {refused > 0 && (
        <>
          , <span className="text-ochre">{refused.toLocaleString("en")} refused</span>
          <ul className="text-code text-quiet">
            {reasons.slice(0, 6).map((r, i) => (
              <li key={i}>
                <span className="font-mono">{safeText(r.what)}</span>: {safeText(r.why)}
              </li>
            ))}
          </ul>
        </>
      )}
    </div>
  );
}
