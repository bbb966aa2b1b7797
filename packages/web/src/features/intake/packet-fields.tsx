import type { Control, FieldErrors, FieldValues, Path, UseFormRegister } from "react-hook-form";
import { Field, Input } from "../../ui/field";
import { CheckField } from "../../ui/form";

/** Which packets of this machine are read, as a form has it. */
export interface PacketValues {
  readonly interface: string;
  readonly filter: string;
  readonly mirror: boolean;
  readonly keepQueries: boolean;
}

export const NO_PACKETS: PacketValues = { interface: "", filter: "", mirror: false, keepQueries: false };

interface PacketFieldsProps<T extends FieldValues & PacketValues> {
  readonly control: Control<T>;
  readonly register: UseFormRegister<T>;
  readonly errors: FieldErrors<PacketValues>;
}

/** Interface, filter and what is kept of packets. */
export function PacketFields<T extends FieldValues & PacketValues>({
  control,
  register,
  errors,
}: PacketFieldsProps<T>) {
  const of = (name: keyof PacketValues) => name as unknown as Path<T>;
  return (
    <>
      <Field label="Interface" hint="such as eth0" error={errors.interface?.message}>
        {(id) => (
          <Input id={id} className="font-mono" {...register(of("interface"), { required: "Name an interface." })} />
        )}
      </Field>
      <Field label="Filter" hint="pcap-filter(7); empty: all">
        {(id) => <Input id={id} className="font-mono" {...register(of("filter"))} />}
      </Field>
      <span className="mt-[22px]">
        <CheckField control={control} name={of("mirror")}>
          packets to others too
        </CheckField>
        <CheckField control={control} name={of("keepQueries")}>
          keep queries of paths
        </CheckField>
      </span>
    </>
  );
}
