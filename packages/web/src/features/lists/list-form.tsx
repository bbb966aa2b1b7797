import { type Lists, ListWrite } from "@halvik/contract/lists";
import { LIST_KINDS } from "@halvik/core/model/lists";
import { useForm } from "react-hook-form";
import type * as z from "zod";
import { Field, Input } from "../../ui/field";
import { FormEnd, SelectField } from "../../ui/form";
import { KIND_WORDS } from "./kind-words";

type Values = z.input<typeof ListWrite>;

/** What a list is called, what it is of and about. */
export function ListForm({
  list,
  busy,
  onSave,
  onDelete,
  onCancel,
}: {
  list: Lists["lists"][number] | null;
  busy: boolean;
  onSave: (body: z.output<typeof ListWrite>) => void;
  onDelete: () => void;
  onCancel: () => void;
}) {
  const {
    control,
    register,
    handleSubmit,
    setError,
    formState: { errors },
  } = useForm<Values>({
    defaultValues: { name: list?.name ?? "", kind: list?.kind ?? "address", about: list?.about ?? "" },
  });
  const submit = handleSubmit((values) => {
    const read = ListWrite.safeParse(values);
    if (read.success) onSave(read.data);
    else for (const { path, message } of read.error.issues) setError(path[0] as keyof Values, { message });
  });
  const used = (list?.usedBy.length ?? 0) > 0;
  return (
    <form onSubmit={submit} onKeyDown={(e) => e.key === "Escape" && onCancel()}>
      <h2 className="mb-2 text-title font-semibold">{list ? "Edit list" : "New list"}</h2>
      <Field
        label="Name"
        hint={used ? "It is named by what uses it, and so keeps its name." : undefined}
        error={errors.name?.message}
      >
        {(id) => <Input id={id} readOnly={used} {...register("name")} />}
      </Field>
      {list === null && (
        <SelectField
          control={control}
          name="kind"
          label="Of"
          options={LIST_KINDS.map((value) => ({ value, label: KIND_WORDS[value] }))}
        />
      )}
      <Field label="About" error={errors.about?.message}>
        {(id) => <Input id={id} {...register("about")} />}
      </Field>
      <FormEnd busy={busy} onCancel={onCancel} onDelete={list && onDelete} />
    </form>
  );
}
