import { SEVERITIES } from "@halvik/core/model/record";
import { type ReactNode, useState } from "react";
import { useForm } from "react-hook-form";
import { toast } from "sonner";
import { Button, Kbd } from "../ui/button";
import { Checkbox } from "../ui/checkbox";
import { Dialog } from "../ui/dialog";
import { EmptyState, Trouble } from "../ui/empty-state";
import { Field, Input } from "../ui/field";
import { CheckField, ChecksField, SelectField } from "../ui/form";
import { KindMark, SeverityMark } from "../ui/marks";
import { Menu, MenuItem, MenuLabel, MenuLink, MenuSeparator } from "../ui/menu";
import { Facts, Heading, Page, Scroller } from "../ui/page";
import { Popover } from "../ui/popover";
import { Radio } from "../ui/radio";
import { Select } from "../ui/select";
import { Switch } from "../ui/switch";
import { type ColumnDef, Table } from "../ui/table";
import { Tooltip } from "../ui/tooltip";
import { DeleteButton } from "../ui/twice-button";

const SCALE = [
  "text-mark",
  "text-micro",
  "text-small",
  "text-code",
  "text-ui",
  "text-body",
  "text-lead",
  "text-title",
  "text-page",
  "text-brand",
];
const COLOURS = [
  "bg-paper",
  "bg-sheet",
  "bg-wash",
  "bg-ink",
  "bg-quiet",
  "bg-fjord",
  "bg-fjord-wash",
  "bg-ochre",
  "bg-ochre-wash",
  "bg-vermilion",
  "bg-vermilion-wash",
];

interface Boat {
  name: string;
  crew: number;
  route: string;
}
const BOATS: readonly Boat[] = [
  { name: "Skarven", crew: 7, route: "Hestnes – Orvane" },
  { name: "Lomvi", crew: 12, route: "Hestnes – Kalvøy" },
  { name: "Teist", crew: 4, route: "Orvane – Kalvøy" },
];
const COLUMNS: ColumnDef<Boat>[] = [
  { id: "name", header: "name", accessorFn: (b) => b.name, size: 120 },
  { id: "crew", header: "crew", accessorFn: (b) => b.crew, size: 80, meta: { align: "right" } },
  { id: "route", header: "route", accessorFn: (b) => b.route, size: 200 },
];

const Part = ({ name, children }: { name: string; children: ReactNode }) => (
  <section className="mb-4 max-w-[47.5rem]">
    <Heading>{name}</Heading>
    <div className="flex flex-wrap items-start gap-4">{children}</div>
  </section>
);

/** Every part of the kit, for those who build pages from it. In development only; switch the theme in the top line. */
export function KitPage() {
  const [chosen, setChosen] = useState("b");
  const [on, setOn] = useState(true);
  const [open, setOpen] = useState(false);
  const [row, setRow] = useState<string | null>(null);
  const { control, register } = useForm({
    defaultValues: { name: "", severity: "error", tells: ["raise"], enabled: true },
  });
  return (
    <Page title="Kit">
      <h1 className="text-page font-semibold">Kit</h1>
      <Scroller label="Kit">
        <Part name="Type">
          {SCALE.map((s) => (
            <span key={s} className={s}>
              {s.slice(5)} 14:07:31
            </span>
          ))}
        </Part>
        <Part name="Colour">
          {COLOURS.map((c) => (
            <span key={c} className="text-micro text-quiet">
              <span className={`block size-10 border border-line-strong ${c}`} />
              {c.slice(3)}
            </span>
          ))}
        </Part>
        <Part name="Button, Kbd">
          <Button main>Save</Button>
          <Button shortcut="Esc">Cancel</Button>
          <Button disabled>Disabled</Button>
          <DeleteButton onDelete={() => toast("Deleted")} />
          <DeleteButton inText onDelete={() => toast("Deleted")} />
          <Kbd>Ctrl K</Kbd>
        </Part>
        <Part name="Select, Radio, Checkbox, Switch">
          <Select
            label="Select"
            value={chosen}
            onChange={setChosen}
            options={["a", "b", { value: "", label: "none", about: "no value at all" }]}
          />
          <Radio
            label="Radio"
            value={chosen}
            onChange={setChosen}
            options={["a", "b"].map((value) => ({ value, label: value }))}
          />
          <Checkbox checked={on} onChange={setOn}>
            checked
          </Checkbox>
          <Switch checked={on} onChange={setOn}>
            switched on
          </Switch>
        </Part>
        <Part name="Menu, Popover, Dialog, Tooltip, Toast">
          <Menu trigger={<Button>Menu</Button>}>
            <MenuLabel>What it is about</MenuLabel>
            <MenuItem onSelect={() => toast("Chosen")}>An item</MenuItem>
            <MenuItem onSelect={() => undefined} disabled>
              One that cannot be chosen
            </MenuItem>
            <MenuSeparator />
            <MenuLink href="/kit">A link</MenuLink>
          </Menu>
          <Popover label="Popover" trigger={<Button>Popover</Button>}>
            What it shows.
          </Popover>
          <Button onClick={() => setOpen(true)}>Dialog</Button>
          <Dialog open={open} onOpenChange={setOpen} title="Dialog" about="What it is for.">
            <Button onClick={() => setOpen(false)}>Close</Button>
          </Dialog>
          <Tooltip text="What it means.">
            <Button>Tooltip</Button>
          </Tooltip>
          <Button onClick={() => toast.error("It did not work: the database does not answer.")}>Toast</Button>
        </Part>
        <Part name="Field, Form">
          <form className="w-80">
            <Field label="Name" hint="What helps to fill it." error="Expected a name of at most 80 characters.">
              {(id) => <Input id={id} {...register("name")} />}
            </Field>
            <SelectField control={control} name="severity" label="Severity" options={SEVERITIES} />
            <ChecksField
              control={control}
              name="tells"
              legend="Send a message when"
              options={[
                { value: "raise", label: "one is raised" },
                { value: "clear", label: "it is over" },
              ]}
            />
            <CheckField control={control} name="enabled">
              switched on
            </CheckField>
          </form>
        </Part>
        <Part name="Table">
          <Table
            label="Boats"
            rows={BOATS}
            columns={COLUMNS}
            rowId={(b) => b.name}
            pinned={["name"]}
            chosen={row}
            onOpen={(b) => setRow(b.name)}
          />
        </Part>
        <Part name="Marks, Facts">
          {SEVERITIES.map((s) => (
            <SeverityMark key={s} severity={s} />
          ))}
          <KindMark kind="syslog" />
          <KindMark kind="flow" />
          <Facts
            facts={[
              ["host", "vpn-1"],
              ["address", "203.0.113.9"],
            ]}
          />
        </Part>
        <Part name="EmptyState, Trouble">
          <EmptyState title="No senders yet" text="A device that sends to one of the endpoints shows up as waiting.">
            <Button>Add an endpoint</Button>
          </EmptyState>
          <Trouble error={new Error("the database does not answer")} what="Records" />
        </Part>
      </Scroller>
    </Page>
  );
}
