import type { UnnamedTraffic } from "@halvik/contract/traffic";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { toast } from "sonner";
import { queryClient, request, type TrafficAsked, unnamedQuery, type WindowParts } from "../../data/api";
import { usOf } from "../../data/view-store";
import { AddressName } from "../../shared/address-names";
import { PortraitLink } from "../../shared/portrait-link";
import { TextButton } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Field, Input } from "../../ui/field";
import { FormEnd } from "../../ui/form";
import { Popover } from "../../ui/popover";
import { safeText } from "../../ui/safe-text";
import { day } from "../../ui/time";
import { sayAmount } from "./amounts";
import { RecordsLink } from "./portrait-rows";

interface UnnamedProps {
  readonly window: WindowParts;
  readonly asked: TrafficAsked;
  readonly zone: string;
  readonly onNarrow: (filter: string) => void;
}

/** The biggest traffic that has no name but its number: at whom, since when; it can be named here, for history too. */
export function Unnamed({ window, asked, zone, onNarrow }: UnnamedProps) {
  const { data, error } = useQuery(unnamedQuery(window, asked));
  if (error) return <Trouble error={error} what="Unnamed traffic cannot be listed" />;
  if (!data) return <p className="text-quiet">Looking …</p>;
  return (
    <section aria-label="Unnamed traffic" className="mb-3">
      <h2 className="text-ui font-semibold">
        Unnamed traffic
        <small className="ml-1.5 text-code font-normal text-quiet">a name holds everywhere, for history too</small>
      </h2>
      {data.rows.length === 0 && <p className="text-ui text-quiet">All traffic of this window has a name.</p>}
      <ul className="m-0 list-none p-0 text-ui">
        {data.rows.map((row) => (
          <li
            key={row.label}
            className="grid grid-cols-[9rem_5rem_6rem_minmax(0,1fr)_auto] items-baseline gap-x-3 border-t border-line py-0.5 @max-xl:grid-cols-2"
          >
            <span className="font-mono text-code">
              <RecordsLink filter={`kind is flow and ${row.filter}`}>{row.label.replace(/^unnamed /, "")}</RecordsLink>
            </span>
            <span className="text-right">{sayAmount(row.amounts[asked.measure], asked.measure)}</span>
            <span className="text-code text-quiet">
              {row.since === null ? "" : `since ${day(usOf(row.since), zone)}`}
            </span>
            <span className="truncate text-code text-quiet">
              {row.servers.length > 0 && "at "}
              {row.servers.map((s, i) => (
                <span key={s.address}>
                  {i > 0 && ", "}
                  <PortraitLink kind="address" value={s.address}>
                    {s.address}
                  </PortraitLink>
                  <AddressName address={s.address} />
                  {s.name !== null && ` (named ${safeText(s.name)} there)`}
                </span>
              ))}
            </span>
            <span className="flex gap-x-2.5 text-small">
              <TextButton onClick={() => onNarrow(row.filter)}>only this</TextButton>
              <NameIt row={row} />
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

interface Values {
  readonly name: string;
  readonly network: string;
}

function NameIt({ row }: { row: UnnamedTraffic["rows"][number] }) {
  const [open, setOpen] = useState(false);
  return (
    <Popover
      label={`A name for ${row.label}`}
      open={open}
      onOpenChange={setOpen}
      trigger={<TextButton>name it</TextButton>}
    >
      <NameForm row={row} onDone={() => setOpen(false)} />
    </Popover>
  );
}

function NameForm({ row, onDone }: { row: UnnamedTraffic["rows"][number]; onDone: () => void }) {
  const {
    register,
    handleSubmit,
    setError,
    formState: { errors },
  } = useForm<Values>({ defaultValues: { name: "", network: "" } });
  const save = useMutation({
    mutationFn: ({ name, network }: Values) =>
      request("POST", "/applications", {
        name: name.trim(),
        protocol: row.protocol,
        lowPort: row.port,
        highPort: null,
        network: network.trim() === "" ? null : network.trim(),
      }),
    onSuccess: () => {
      toast("Named. It holds for history too.");
      void queryClient.invalidateQueries({ queryKey: ["traffic"] });
      void queryClient.invalidateQueries({ queryKey: ["applications"] });
      onDone();
    },
    onError: (e) => setError("name", { message: e.message }),
  });
  return (
    <form onSubmit={handleSubmit((values) => save.mutate(values))}>
      <Field label="Name" error={errors.name?.message}>
        {(id) => <Input id={id} autoFocus {...register("name", { required: "A name is needed." })} />}
      </Field>
      <Field label="At" hint="an address or a block; then the name holds for services, not for the port alone">
        {(id) => <Input id={id} className="font-mono" {...register("network")} />}
      </Field>
      <FormEnd busy={save.isPending} onCancel={onDone} onDelete={null} />
    </form>
  );
}
