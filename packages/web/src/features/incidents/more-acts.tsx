import type { IncidentDetail } from "@halvik/contract";
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { sessionQuery } from "../../data/api";
import { isoOf, useViewStore } from "../../data/view-store";
import { Button } from "../../ui/button";
import { Dialog } from "../../ui/dialog";
import { Field, Input } from "../../ui/field";
import { Menu, MenuItem, MenuLink, MenuSeparator } from "../../ui/menu";
import { Select } from "../../ui/select";
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
  const me = session.data?.name ?? "";
  const done = (what: string, body: object) => {
    act(what, body);
    setOpen(null);
  };
  return (
    <>
      <Menu trigger={<Button>More</Button>} keepsFocus={open === null}>
        {incident.assignedTo !== me && <MenuItem onSelect={() => act("assign", { to: me })}>Assign to me</MenuItem>}
        <MenuItem onSelect={() => setOpen("assign")}>Assign to …</MenuItem>
        {incident.shelved === null ? (
          <MenuItem onSelect={() => setOpen("shelve")}>Shelve …</MenuItem>
        ) : (
          <MenuItem onSelect={() => act("shelve", { until: null })}>Take from the shelf</MenuItem>
        )}
        <MenuItem onSelect={() => setOpen("merge")}>Merge into another incident …</MenuItem>
        <MenuItem onSelect={() => setOpen("link")}>Link to another incident …</MenuItem>
        {detail.findings.length > 1 && <MenuItem onSelect={() => setOpen("split")}>Split off …</MenuItem>}
        <MenuSeparator />
        <MenuLink href={`/api/v1/incidents/${incident.id}/export?format=markdown`} download>
          Export as Markdown
        </MenuLink>
        <MenuLink href={`/api/v1/incidents/${incident.id}/export?format=json`} download>
          Export as JSON
        </MenuLink>
        <MenuLink href={`/api/v1/incidents/${incident.id}/export?format=handover`}>Hand over (as Markdown)</MenuLink>
      </Menu>
      <Dialog
        open={open !== null}
        onOpenChange={(is) => !is && setOpen(null)}
        title={open === null ? "" : TITLES[open]}
      >
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
      </Dialog>
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
            <Select
              id={id}
              value={String(spanUs)}
              onChange={(us) => setSpanUs(Number(us))}
              options={SHELF.map(([label, us]) => ({ value: String(us), label }))}
              className="w-full"
            />
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
