import { ChannelWrite, type NotifyWays } from "@halvik/contract";
import { useForm, useWatch } from "react-hook-form";
import { Field, Input } from "../../ui/field";
import { FormEnd, SelectField } from "../../ui/form";

interface Values {
  kind: string;
  name: string;
  url: string;
  format: string;
  secret: string;
  host: string;
  port: string;
  transport: string;
}

const KINDS = [
  { value: "webhook", label: "a web address" },
  { value: "syslog", label: "a syslog receiver" },
];
const TRANSPORTS = [
  { value: "udp", label: "UDP" },
  { value: "tcp", label: "TCP" },
  { value: "tls", label: "TLS" },
];

const FORMATS = [
  { value: "json", label: "all of it, for a program (JSON)" },
  { value: "chat", label: "a line of text, for a chat" },
];

function valuesOf(channel: NotifyWays["channels"][number] | null): Values {
  const nothing = { name: "", url: "", format: "json", secret: "", host: "", port: "514", transport: "udp" };
  if (channel === null) return { ...nothing, kind: "webhook" };
  const { kind, name } = channel;
  if (channel.kind === "webhook") return { ...nothing, kind, name, url: channel.url, format: channel.format };
  const { host, port, transport } = channel;
  return { ...nothing, kind, name, host, port: String(port), transport };
}

/** A web address or a syslog receiver that messages go to. */
export function ChannelForm({
  channel,
  busy,
  onSave,
  onDelete,
  onCancel,
}: {
  channel: NotifyWays["channels"][number] | null;
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
  } = useForm<Values>({
    defaultValues: valuesOf(channel),
  });
  const kind = useWatch({ control, name: "kind" });
  const submit = handleSubmit(({ secret, port, ...values }) => {
    // what was not written stays as it is
    const read = ChannelWrite.safeParse({
      channel: { ...values, port: Number(port) },
      secret: channel !== null && !dirtyFields.secret ? null : secret,
    });
    if (read.success) onSave(read.data, read.data.channel.name);
    else
      for (const { path, message } of read.error.issues)
        setError((path[path.length - 1] as keyof Values | undefined) ?? "name", { message });
  });
  return (
    <form onSubmit={submit} onKeyDown={(e) => e.key === "Escape" && onCancel()}>
      <h2 className="mb-2 text-title font-semibold">{channel ? "Edit channel" : "New channel"}</h2>
      <Field label="Name" error={errors.name?.message}>
        {(id) => <Input id={id} {...register("name")} />}
      </Field>
      {channel === null && <SelectField control={control} name="kind" label="What it is" options={KINDS} />}
      {kind === "syslog" ? (
        <>
          <Field label="Host" hint="Addresses inside need the administrator's allowance." error={errors.host?.message}>
            {(id) => <Input id={id} placeholder="logs.example" {...register("host")} />}
          </Field>
          <Field label="Port" error={errors.port?.message}>
            {(id) => <Input id={id} inputMode="numeric" {...register("port")} />}
          </Field>
          <SelectField control={control} name="transport" label="Over" options={TRANSPORTS} />
        </>
      ) : (
        <>
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
        </>
      )}
      <FormEnd busy={busy} onCancel={onCancel} onDelete={channel && onDelete} />
    </form>
  );
}
