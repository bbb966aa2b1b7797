import { ChannelWrite, type NotifyWays } from "@halvik/contract";
import { useForm } from "react-hook-form";
import type { z } from "zod";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { SelectField } from "../../ui/form";

export type ChannelBody = z.output<typeof ChannelWrite>;
interface Values {
  name: string;
  url: string;
  format: string;
  secret: string;
}

const FORMATS = [
  { value: "json", label: "all of it, for a program (JSON)" },
  { value: "chat", label: "a line of text, for a chat" },
];

/** A web address that messages go to. */
export function ChannelForm({
  channel,
  busy,
  onSave,
  onDelete,
  onCancel,
}: {
  channel: NotifyWays["channels"][number] | null;
  busy: boolean;
  onSave: (body: ChannelBody) => void;
  onDelete: () => void;
  onCancel: () => void;
}) {
  const {
    control,
    register,
    handleSubmit,
    setError,
    formState: { errors, dirtyFields },
  } = useForm<Values>({
    defaultValues: {
      name: channel?.name ?? "",
      url: channel?.url ?? "",
      format: channel?.format ?? "json",
      secret: "",
    },
  });
  const submit = handleSubmit(({ secret, ...values }) => {
    // what was not written stays as it is
    const read = ChannelWrite.safeParse({
      kind: "webhook",
      ...values,
      secret: channel !== null && !dirtyFields.secret ? null : secret,
    });
    if (read.success) onSave(read.data);
    else
      for (const { path, message } of read.error.issues)
        setError((path[0] as keyof Values | undefined) ?? "name", { message });
  });
  return (
    <form onSubmit={submit} onKeyDown={(e) => e.key === "Escape" && onCancel()}>
      <h2 className="mb-2 text-title font-semibold">{channel ? "Edit channel" : "New channel"}</h2>
      <Field label="Name" error={errors.name?.message}>
        {(id) => <Input id={id} {...register("name")} />}
      </Field>
      <Field
        label="Web address"
        hint="Messages are sent there by POST. Addresses inside need the administrator's allowance."
        error={errors.url?.message}
      >
        {(id) => <Input id={id} placeholder="https://chat.example/hook" {...register("url")} />}
      </Field>
      <SelectField control={control} name="format" label="What is sent" options={FORMATS} />
      <Field
        label="Secret"
        hint={
          channel === null
            ? "Messages are signed with it, so that the receiver knows whose they are. Empty: they are not."
            : "Not shown. What is written here takes its place."
        }
        error={errors.secret?.message}
      >
        {(id) => <Input id={id} type="password" autoComplete="off" {...register("secret")} />}
      </Field>
      <div className="flex gap-1.5">
        <Button main type="submit" disabled={busy}>
          Save
        </Button>
        <Button onClick={onCancel} shortcut="Esc">
          Cancel
        </Button>
        {channel && (
          <Button className="ml-auto" onClick={onDelete} disabled={busy}>
            Delete
          </Button>
        )}
      </div>
    </form>
  );
}
