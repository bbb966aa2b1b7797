import type { TrafficPlaces } from "@halvik/contract/traffic";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { toast } from "sonner";
import { queryClient, request } from "../../data/api";
import { readAmount, writeAmount } from "../../shared/written-amount";
import { TextButton } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { FormEnd } from "../../ui/form";
import { Popover } from "../../ui/popover";
import type { Sentence } from "./asked";

interface Values {
  readonly name: string;
  readonly capacity: string;
}

/** What the interface is called and how much it carries, where counters do not say or a person knows better. */
export function InterfaceForm({ sentence, places }: { sentence: Sentence; places: TrafficPlaces | undefined }) {
  const [open, setOpen] = useState(false);
  const exporter = places?.exporters.find((e) => e.id === sentence.exporter);
  const of = exporter?.interfaces.find((i) => i.index === sentence.interface);
  if (exporter === undefined || of === undefined || of.index < 0) return null;
  return (
    <Popover
      label={`What is known of ${of.name}`}
      align="start"
      open={open}
      onOpenChange={setOpen}
      trigger={
        <TextButton className="text-small">{of.capacity === null ? "say what it carries" : "describe it"}</TextButton>
      }
    >
      <Form key={`${exporter.id} ${of.index}`} exporter={exporter.id} of={of} onDone={() => setOpen(false)} />
    </Popover>
  );
}

function Form({
  exporter,
  of,
  onDone,
}: {
  exporter: number;
  of: TrafficPlaces["exporters"][number]["interfaces"][number];
  onDone: () => void;
}) {
  const {
    register,
    handleSubmit,
    setError,
    formState: { errors },
  } = useForm<Values>({
    defaultValues: {
      name: of.name,
      capacity: of.capacity !== null && of.capacityFrom === "hand" ? writeAmount(of.capacity).replace("B", "") : "",
    },
  });
  const save = useMutation({
    mutationFn: (body: { name: string; capacity: number | null }) =>
      request("PATCH", `/traffic/interfaces/${exporter}/${of.index}`, body),
    onSuccess: async () => {
      await queryClient.invalidateQueries({ queryKey: ["traffic"] });
      onDone();
    },
    onError: (e) => toast.error(e.message),
  });
  const submit = handleSubmit(({ name, capacity }) => {
    const bits = capacity.trim() === "" ? null : readAmount(capacity.replace(/b(it)?(\/s|ps)?$/i, ""));
    if (capacity.trim() !== "" && (bits === null || bits < 1))
      setError("capacity", { message: "Expected bits a second, such as 100 M or 1 G." });
    else save.mutate({ name: name.trim(), capacity: bits === null ? null : Math.round(bits) });
  });
  return (
    <form onSubmit={submit}>
      <Field label="Name" error={errors.name?.message}>
        {(id) => <Input id={id} maxLength={120} autoFocus {...register("name")} />}
      </Field>
      <Field
        label="Carries"
        hint={of.capacityFrom === "counters" ? "Empty: as its counters say." : "Bits a second, such as 100 M or 1 G."}
        error={errors.capacity?.message}
      >
        {(id) => <Input id={id} placeholder="not known" {...register("capacity")} />}
      </Field>
      <FormEnd busy={save.isPending} onCancel={onDone} onDelete={null} />
    </form>
  );
}
