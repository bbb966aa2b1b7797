import { EndpointKind } from "@halvik/contract/kinds";
import { useForm } from "react-hook-form";
import { DiskForecast } from "../../shared/disk-forecast";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { SelectField } from "../../ui/form";
import { KIND_WORDS } from "./endpoint-words";
import { NO_PACKETS, PacketFields } from "./packet-fields";

const KINDS = EndpointKind.options.map((value) => ({ value, label: KIND_WORDS[value] }));

/** A further endpoint: name, protocol, and the port or the interface it hears at. */
export function AddEndpoint({ onAdd, onClose }: { onAdd: (body: object) => Promise<unknown>; onClose: () => void }) {
  const { control, register, handleSubmit, formState, watch } = useForm({
    defaultValues: { name: "", kind: "syslog-udp", host: "", port: "", ...NO_PACKETS },
  });
  const isPackets = watch("kind") === "packets";
  return (
    <form
      className="grid grid-cols-[11.25rem_9.375rem_9.375rem_6.875rem_auto] max-wide:grid-cols-[repeat(auto-fit,minmax(9rem,1fr))] items-start gap-3"
      onSubmit={handleSubmit(async ({ name, kind, host, port, ...packets }) => {
        await onAdd(
          kind === "packets"
            ? { name, kind, settings: { packets } }
            : { name, kind, port: Number(port), ...(host === "" ? {} : { host }) },
        );
        onClose();
      })}
    >
      <Field label="Name" error={formState.errors.name?.message}>
        {(id) => <Input id={id} {...register("name", { required: "A name is needed." })} />}
      </Field>
      <SelectField control={control} name="kind" label="Protocol" options={KINDS} />
      {isPackets ? (
        <PacketFields control={control} register={register} errors={formState.errors} />
      ) : (
        <>
          <Field label="Address" hint="empty: the configured one">
            {(id) => <Input id={id} className="font-mono" {...register("host")} />}
          </Field>
          <Field label="Port" error={formState.errors.port?.message}>
            {(id) => (
              <Input
                id={id}
                className="font-mono"
                inputMode="numeric"
                {...register("port", {
                  validate: (v) => (/^\d{1,5}$/.test(v) && Number(v) > 0 && Number(v) <= 65_535) || "1 to 65535.",
                })}
              />
            )}
          </Field>
        </>
      )}
      <span className="mt-[22px] flex gap-1.5">
        <Button type="submit" main>
          Add
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </span>
      <p className="col-span-full text-small">
        <DiskForecast always />
      </p>
    </form>
  );
}
