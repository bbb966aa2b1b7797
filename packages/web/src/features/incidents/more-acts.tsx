import type { IncidentDetail } from "@halvik/contract/incidents";
import { useState } from "react";
import { Button } from "../../ui/button";
import { Dialog } from "../../ui/dialog";
import { Menu, MenuItem, MenuLink, MenuSeparator } from "../../ui/menu";
import { Another, Split } from "./pick-one";

interface MoreActsProps {
  readonly detail: IncidentDetail;
  /** @returns whether it was done */
  readonly act: (what: string, body: object) => Promise<boolean>;
}

/** What is done less often: merge, link, split, export. */
export function MoreActs({ detail, act }: MoreActsProps) {
  const { incident } = detail;
  const [open, setOpen] = useState<keyof typeof TITLES | null>(null);
  // what was chosen stays where it is refused
  const done = async (what: string, body: object) => {
    if (await act(what, body)) setOpen(null);
  };
  return (
    <>
      <Menu trigger={<Button>More</Button>} keepsFocus={open === null}>
        {incident.shelved !== null && (
          <MenuItem onSelect={() => void act("shelve", { until: null })}>Take from the shelf</MenuItem>
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
            onPick={(into) => void done("merge", { into })}
          />
        )}
        {open === "link" && (
          <Another
            id={incident.id}
            about="They have to do with one another, and stay apart."
            onPick={(to) => void done("link", { to })}
          />
        )}
        {open === "split" && <Split detail={detail} onPick={(what) => void done("split", what)} />}
      </Dialog>
    </>
  );
}

const TITLES = {
  merge: "Merge into another incident",
  link: "Link to another incident",
  split: "Split off",
} as const;
