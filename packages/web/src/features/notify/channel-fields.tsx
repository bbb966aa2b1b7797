import type { NotifyWays } from "@halvik/contract/notify";
import { SNMP_HASHES } from "@halvik/core/respond/notify";
import { type Control, type FieldErrors, type UseFormRegister, useWatch } from "react-hook-form";
import { Field, Input } from "../../ui/field";
import { SelectField } from "../../ui/form";
import { CONTROL } from "../../ui/look";
import { USUAL_PORT, type Values } from "./channel-values";

interface PartProps {
  readonly control: Control<Values>;
  readonly register: UseFormRegister<Values>;
  readonly errors: FieldErrors<Values>;
  readonly ways: NotifyWays;
  /** It is not kept yet: there is no secret of it either. */
  readonly isNew: boolean;
}

const INSIDE = "Addresses inside need the administrator's allowance.";
const FORMATS = [
  { value: "json", label: "all of it, for a program (JSON)" },
  { value: "chat", label: "a line of text, for a chat" },
];
const TRANSPORTS = ["udp", "tcp", "tls"].map((value) => ({ value, label: value.toUpperCase() }));
const VERSIONS = [
  { value: "v2c", label: "v2c, by a community" },
  { value: "v3", label: "v3, as a user" },
];
const MESSAGES = [
  { value: "trap", label: "traps: nobody says whether they arrive" },
  { value: "inform", label: "informs: sent again until they are answered" },
];

/** What is asked of a channel beside its name, by what it is. */
export function ChannelFields(props: PartProps) {
  const kind = useWatch({ control: props.control, name: "kind" });
  switch (kind) {
    case "syslog":
      return (
        <>
          <ReceiverFields {...props} kind="syslog" />
          <SelectField control={props.control} name="transport" label="Over" options={TRANSPORTS} />
        </>
      );
    case "snmp":
      return <SnmpFields {...props} />;
    case "file":
      return <FileFields {...props} />;
    case "command":
      return <CommandFields {...props} />;
    default:
      return <WebFields {...props} />;
  }
}

function WebFields({ control, register, errors, isNew }: PartProps) {
  return (
    <>
      <Field label="Web address" hint={`Messages are sent there by POST. ${INSIDE}`} error={errors.url?.message}>
        {(id) => <Input id={id} placeholder="https://chat.example/hook" {...register("url")} />}
      </Field>
      <SelectField control={control} name="format" label="What is sent" options={FORMATS} />
      <SecretField
        {...{ register, errors, isNew }}
        name="secret"
        label="Secret"
        about="Messages are signed with it, so that the receiver knows whose they are. Empty: they are not."
      />
    </>
  );
}

function ReceiverFields({ register, errors, kind }: PartProps & { kind: "syslog" | "snmp" }) {
  return (
    <>
      <Field label="Host" hint={INSIDE} error={errors.host?.message}>
        {(id) => <Input id={id} placeholder="logs.example" {...register("host")} />}
      </Field>
      <Field label="Port" error={errors.port?.message}>
        {(id) => <Input id={id} inputMode="numeric" placeholder={String(USUAL_PORT[kind])} {...register("port")} />}
      </Field>
    </>
  );
}

function SnmpFields(props: PartProps) {
  const { control, register, errors, ways, isNew } = props;
  const version = useWatch({ control, name: "version" });
  const message = useWatch({ control, name: "message" });
  const secret = { register, errors, isNew };
  return (
    <>
      <ReceiverFields {...props} kind="snmp" />
      <SelectField control={control} name="message" label="What is sent" options={MESSAGES} />
      <SelectField control={control} name="version" label="Version" options={VERSIONS} />
      {version === "v2c" ? (
        <SecretField {...secret} name="secret" label="Community" about="As the receiver expects it." />
      ) : (
        <>
          <Field label="User" error={errors.user?.message}>
            {(id) => <Input id={id} autoComplete="off" {...register("user")} />}
          </Field>
          <SelectField
            control={control}
            name="hash"
            label="Authenticated with"
            options={SNMP_HASHES.map((h) => ({ value: h, label: h.toUpperCase().replace("SHA", "SHA-") }))}
          />
          <SecretField
            {...secret}
            name="secret"
            label="Authentication pass phrase"
            about="8 characters or more. Empty: it is not authenticated."
          />
          <SecretField
            {...secret}
            name="privacySecret"
            label="Privacy pass phrase"
            about="Encrypts with AES-128. Empty: it is not encrypted."
          />
          {message === "trap" && (
            <p className="mb-2.5 text-code text-quiet">
              The receiver has to know the engine it comes from: <code className="font-mono">{ways.engineId}</code>
            </p>
          )}
        </>
      )}
      <p className="mb-2.5 text-code text-quiet">
        What notifications hold is described by the{" "}
        <a className="text-fjord underline" href="/api/v1/notify/mib" download="HALVIK-NOTIFY-MIB.mib">
          module HALVIK-NOTIFY-MIB
        </a>
        .
      </p>
    </>
  );
}

function FileFields({ register, errors }: PartProps) {
  return (
    <>
      <Field
        label="File"
        hint="In the directory of the administrator. A line of JSON for each message."
        error={errors.file?.message}
      >
        {(id) => <Input id={id} {...register("file")} />}
      </Field>
      <Field label="Megabytes of one file" error={errors.megabytes?.message}>
        {(id) => <Input id={id} inputMode="numeric" {...register("megabytes")} />}
      </Field>
      <Field label="Full files kept" error={errors.keep?.message}>
        {(id) => <Input id={id} inputMode="numeric" {...register("keep")} />}
      </Field>
    </>
  );
}

function CommandFields({ control, register, errors, ways }: PartProps) {
  if (ways.programs.length === 0)
    return (
      <p role="alert" className="mb-2.5 text-ui text-ochre">
        The administrator allows no program yet. Set <code className="font-mono">HALVIK_NOTIFY_PROGRAMS</code>, such as
        siren=/usr/local/bin/siren, and restart Halvik.
      </p>
    );
  return (
    <>
      <SelectField control={control} name="program" label="Program" options={ways.programs} />
      <Field
        label="Arguments"
        hint="One a line, exactly as written. The message itself is on standard input, as JSON."
        error={errors.args?.message}
      >
        {(id) => <textarea id={id} rows={3} className={`w-full ${CONTROL}`} {...register("args")} />}
      </Field>
    </>
  );
}

function SecretField({
  register,
  errors,
  isNew,
  name,
  label,
  about,
}: Pick<PartProps, "register" | "errors" | "isNew"> & {
  name: "secret" | "privacySecret";
  label: string;
  about: string;
}) {
  return (
    <Field
      label={label}
      hint={isNew ? about : "Not shown. What is written here takes its place."}
      error={errors[name]?.message}
    >
      {(id) => <Input id={id} type="password" autoComplete="off" {...register(name)} />}
    </Field>
  );
}
