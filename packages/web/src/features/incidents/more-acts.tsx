import type { IncidentDetail } from "@halvik/contract";
import { useQuery } from "@tanstack/react-query";
import { Dialog, DropdownMenu } from "radix-ui";
import { type FormEvent, useState } from "react";
import { sessionQuery } from "../../data/api";
import { isoOf, useViewStore } from "../../data/view-store";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { Another, Split } from "./pick-one";
import { SHELF } from "./shelf";

interface MoreActsProps {
  readonly detail: IncidentDetail;
  readonly act: (what: string, body: object) => void;
}

/** What is done less often: assign, shelve, merge, split. */
export function MoreActs({ detail, act }: MoreActsProps) {
  const { incident } = detail;
  const [open, setOpen] = useState<keyof typeof TITLES | null>(null);
  const session = useQuery(sessionQuery);
  const item = "cursor-pointer px-3 py-1 data-highlighted:bg-wash data-disabled:text-quiet";
  const me = session.data?.name ?? "";
  const done = (what: string, body: object) => {
    act(what, body);
    setOpen(null);
  };
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button>More</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            onCloseAutoFocus={(e) => open !== null && e.preventDefault()}
            className="z-20 max-w-96 rounded-[2px] border border-line-strong bg-sheet py-1 text-[13px] shadow-lg"
          >
            {incident.assignedTo !== me && (
              <DropdownMenu.Item className={item} onSelect={() => act("assign", { to: me })}>
                Assign to me
              </DropdownMenu.Item>
            )}
            <DropdownMenu.Item className={item} onSelect={() => setOpen("assign")}>
              Assign to …
            </DropdownMenu.Item>
            {incident.shelved === null ? (
              <DropdownMenu.Item className={item} onSelect={() => setOpen("shelve")}>
                Shelve …
              </DropdownMenu.Item>
            ) : (
              <DropdownMenu.Item className={item} onSelect={() => act("shelve", { until: null })}>
                Take from the shelf
              </DropdownMenu.Item>
            )}
            <DropdownMenu.Item className={item} onSelect={() => setOpen("merge")}>
              Merge into another incident …
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} onSelect={() => setOpen("link")}>
              Link to another incident …
            </DropdownMenu.Item>
            {(["markdown", "json"] as const).map((format) => (
              <DropdownMenu.Item key={format} className={item} asChild>
                <a
                  href={`/api/v1/incidents/${incident.id}/export?format=${format}`}
                  download
                  className="block text-ink no-underline"
                >
                  Export as {format === "markdown" ? "Markdown" : "JSON"}
                </a>
              </DropdownMenu.Item>
            ))}
            <DropdownMenu.Item className={item} asChild>
              <a
                href={`/api/v1/incidents/${incident.id}/export?format=handover`}
                target="_blank"
                rel="noopener"
                className="block text-ink no-underline"
              >
                Hand over (as Markdown)
              </a>
            </DropdownMenu.Item>
            {detail.findings.length > 1 && (
              <DropdownMenu.Item className={item} onSelect={() => setOpen("split")}>
                Split off …
              </DropdownMenu.Item>
            )}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <Dialog.Root open={open !== null} onOpenChange={(is) => !is && setOpen(null)}>
        <Dialog.Portal>
          <Dialog.Overlay className="fixed inset-0 z-20 bg-ink/20" />
          <Dialog.Content
            aria-describedby={undefined}
            className="fixed top-24 left-1/2 z-30 w-[420px] -translate-x-1/2 rounded-[2px] border border-line-strong bg-sheet p-5 shadow-lg"
          >
            <Dialog.Title className="mb-2 text-[17px] font-semibold">{open !== null && TITLES[open]}</Dialog.Title>
            {open === "merge" && (
              <Another
                id={incident.id}
                about="Its findings move there; this number leads to it from then on."
                onPick={(into) => done("merge", { into })}
              />
            )}
            {open === "link" && (
              <Another
                id={incident.id}
                about="They have to do with one another, and stay apart."
                onPick={(to) => done("link", { to })}
              />
            )}
            {open === "split" && <Split detail={detail} onPick={(what) => done("split", what)} />}
            {(open === "assign" || open === "shelve") && <Ask shelve={open === "shelve"} onDone={done} />}
          </Dialog.Content>
        </Dialog.Portal>
      </Dialog.Root>
    </>
  );
}

const TITLES = {
  assign: "Assign",
  shelve: "Shelve",
  merge: "Merge into another incident",
  link: "Link to another incident",
  split: "Split off",
} as const;

function Ask({ shelve, onDone }: { shelve: boolean; onDone: (what: string, body: object) => void }) {
  const nowUs = useViewStore((s) => s.nowUs);
  const [text, setText] = useState("");
  const [spanUs, setSpanUs] = useState<number>(SHELF[0][1]);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (shelve) onDone("shelve", { until: isoOf(nowUs + spanUs), why: text });
    else onDone("assign", { to: text.trim() === "" ? null : text.trim() });
  };
  return (
    <form onSubmit={submit}>
      {shelve && (
        <Field label="How long">
          {(id) => (
            <select
              id={id}
              value={spanUs}
              onChange={(e) => setSpanUs(Number(e.target.value))}
              className="w-full rounded-[2px] border border-line-strong bg-sheet px-2 py-1"
            >
              {SHELF.map(([name, us]) => (
                <option key={name} value={us}>
                  {name}
                </option>
              ))}
            </select>
          )}
        </Field>
      )}
      <Field label={shelve ? "Why" : "Who works on it"} hint={shelve ? "It comes back by itself." : "Empty: nobody."}>
        {(id) => (
          <Input id={id} value={text} onChange={(e) => setText(e.target.value)} maxLength={120} required={shelve} />
        )}
      </Field>
      <Button main type="submit">
        {shelve ? "Shelve" : "Assign"}
      </Button>
    </form>
  );
}
