import { ChannelWrite, type NotifyWays } from "@halvik/contract/notify";
import { useForm } from "react-hook-form";
import { Field, Input } from "../../ui/field";
import { FormEnd, SelectField } from "../../ui/form";
import { ChannelFields } from "./channel-fields";
import { channelOf, type Values, valuesOf } from "./channel-values";

const KINDS = [
  { value: "webhook", label: "a web address" },
  { value: "syslog", label: "a syslog receiver" },
  { value: "snmp", label: "an SNMP receiver" },
  { value: "file", label: "a log file" },
  { value: "command", label: "a program" },
];

/** Where messages go beside mail: a web address, a receiver, a file, a program. */
export function ChannelForm({
  channel,
  ways,
  busy,
  onSave,
  onDelete,
  onCancel,
}: {
  channel: NotifyWays["channels"][number] | null;
  ways: NotifyWays;
  busy: boolean;
  onSave: (body: object, name: string) => void;
  onDelete: () => void;
  onCancel: () => void;
}) {
  const {
    control,
    register,
    handleSubmit,
    setError,
    formState: { errors, dirtyFields },
  } = useForm<Values>({ defaultValues: valuesOf(channel) });
  const isNew = channel === null;
  const submit = handleSubmit((values) => {
    const changed = {
      secret: isNew || dirtyFields.secret === true,
      privacySecret: isNew || dirtyFields.privacySecret === true,
    };
    const read = ChannelWrite.safeParse(channelOf(values, changed));
    if (read.success) onSave(read.data, read.data.channel.name);
    else
      for (const { path, message } of read.error.issues) {
        const field = path.filter((part) => typeof part === "string" && part !== "channel").at(-1);
        setError((field as keyof Values | undefined) ?? "name", { message });
      }
  });
  return (
    <form onSubmit={submit} onKeyDown={(e) => e.key === "Escape" && onCancel()}>
      <h2 className="mb-2 text-title font-semibold">{channel ? "Edit channel" : "New channel"}</h2>
      <Field label="Name" error={errors.name?.message}>
        {(id) => <Input id={id} {...register("name")} />}
      </Field>
      {isNew && <SelectField control={control} name="kind" label="What it is" options={KINDS} />}
      <ChannelFields {...{ control, register, errors, ways, isNew }} />
      <FormEnd busy={busy} onCancel={onCancel} onDelete={channel && onDelete} />
    </form>
  );
}
