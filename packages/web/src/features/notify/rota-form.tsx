import type { NotifyWays } from "@halvik/contract/notify";
import { WEEKDAYS } from "@halvik/core/base/time";
import { Rota } from "@halvik/core/respond/notify";
import { type FieldPath, useFieldArray, useForm } from "react-hook-form";
import { isoOf, useViewStore } from "../../data/view-store";
import { TextButton } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { FormEnd, SelectField } from "../../ui/form";
import { Heading } from "../../ui/page";
import { rotaOf, type Values, valuesOf } from "./rota-values";

const DAYS = WEEKDAYS.map((value) => ({ value, label: `${value[0]!.toUpperCase()}${value.slice(1)}` }));

/** Who is on duty, week by week, and who instead. */
export function RotaForm({
  rota,
  busy,
  onSave,
  onDelete,
  onCancel,
}: {
  rota: NotifyWays["rotas"][number] | null;
  busy: boolean;
  onSave: (body: Rota, name: string) => void;
  onDelete: () => void;
  onCancel: () => void;
}) {
  const { zone, nowUs } = useViewStore.getState();
  const {
    control,
    register,
    handleSubmit,
    setError,
    formState: { errors },
  } = useForm<Values>({ defaultValues: valuesOf(rota, zone, isoOf(nowUs).slice(0, 10)) });
  const people = useFieldArray({ control, name: "people" });
  const instead = useFieldArray({ control, name: "instead" });
  const submit = handleSubmit((values) => {
    const read = Rota.safeParse(rotaOf(values));
    if (read.success) onSave(read.data, read.data.name);
    else for (const { path, message } of read.error.issues) setError(fieldOf(path), { message });
  });
  return (
    <form onSubmit={submit} onKeyDown={(e) => e.key === "Escape" && onCancel()}>
      <h2 className="mb-2 text-title font-semibold">{rota ? "Edit rota" : "New rota"}</h2>
      <Field label="Name" error={errors.name?.message}>
        {(id) => <Input id={id} {...register("name")} />}
      </Field>
      <div className="grid grid-cols-2 gap-2">
        <SelectField control={control} name="day" label="Hands over on" options={DAYS} />
        <Field label="at" error={errors.at?.message}>
          {(id) => <Input id={id} placeholder="08:00" {...register("at")} />}
        </Field>
        <Field label="The first from" error={errors.from?.message}>
          {(id) => <Input id={id} placeholder="2026-11-30" {...register("from")} />}
        </Field>
        <Field label="By the clock of" error={errors.zone?.message}>
          {(id) => <Input id={id} {...register("zone")} />}
        </Field>
      </div>
      <Heading>A week each, in this order</Heading>
      {people.fields.map((person, i) => (
        <fieldset key={person.id} className="grid grid-cols-[1fr_1.4fr_auto] items-end gap-2">
          <Field label={`Name ${i + 1}`} error={errors.people?.[i]?.name?.message}>
            {(id) => <Input id={id} {...register(`people.${i}.name`)} />}
          </Field>
          <Field label={`Mail ${i + 1}`} error={errors.people?.[i]?.to?.message}>
            {(id) => <Input id={id} {...register(`people.${i}.to`)} />}
          </Field>
          <TextButton className="mb-3" aria-label={`Without ${i + 1}`} onClick={() => people.remove(i)}>
            remove
          </TextButton>
        </fieldset>
      ))}
      {errors.people?.root && (
        <p role="alert" className="text-code text-vermilion">
          {errors.people.root.message}
        </p>
      )}
      <TextButton className="mb-2" onClick={() => people.append({ name: "", to: "" })}>
        Add somebody
      </TextButton>
      <Heading>Somebody else instead</Heading>
      {instead.fields.map((one, i) => (
        <fieldset key={one.id} className="mb-2 grid grid-cols-2 gap-x-2 border-l-2 border-line-strong pl-2">
          <legend className="flex w-full justify-between text-ui">
            Instead <TextButton onClick={() => instead.remove(i)}>remove</TextButton>
          </legend>
          <Field label="From" error={errors.instead?.[i]?.from?.message}>
            {(id) => <Input id={id} placeholder="2026-12-24 08:00" {...register(`instead.${i}.from`)} />}
          </Field>
          <Field label="To" error={errors.instead?.[i]?.to?.message}>
            {(id) => <Input id={id} placeholder="2026-12-26 08:00" {...register(`instead.${i}.to`)} />}
          </Field>
          <Field label="Who" error={errors.instead?.[i]?.name?.message}>
            {(id) => <Input id={id} {...register(`instead.${i}.name`)} />}
          </Field>
          <Field label="Mail" error={errors.instead?.[i]?.mail?.message}>
            {(id) => <Input id={id} {...register(`instead.${i}.mail`)} />}
          </Field>
        </fieldset>
      ))}
      <TextButton className="mb-3 block" onClick={() => instead.append({ from: "", to: "", name: "", mail: "" })}>
        Add an exception
      </TextButton>
      <FormEnd busy={busy} onCancel={onCancel} onDelete={rota && onDelete} />
    </form>
  );
}

/** Where a fault is shown. */
function fieldOf([first, place, part, inner]: readonly PropertyKey[]): FieldPath<Values> {
  if (first === "instead" && typeof place === "number") {
    const own = part === "person" ? (inner === "to" ? "mail" : "name") : String(part ?? "from");
    return `instead.${place}.${own}` as FieldPath<Values>;
  }
  if (first === "people")
    return (typeof place === "number" ? `people.${place}.${String(part)}` : "people.root") as FieldPath<Values>;
  return String(first ?? "name") as FieldPath<Values>;
}
