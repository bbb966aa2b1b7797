import type { ApplicationList } from "@halvik/contract/kinds";
import { bytesText } from "@halvik/core/meaning/sentence";
import { useForm } from "react-hook-form";
import { Link } from "react-router";
import { Button, TextButton } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { SelectField } from "../../ui/form";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import type { Act } from "./act";

const PROTOCOLS: Readonly<Record<number, string>> = { 6: "TCP", 17: "UDP", 132: "SCTP" };
const PROTOCOL_CHOICES = [
  { value: "17", label: "UDP" },
  { value: "6", label: "TCP" },
  { value: "", label: "any" },
];
const protocolText = (p: number | null) => (p === null ? "any protocol" : (PROTOCOLS[p] ?? `protocol ${p}`));
const number = (text: string): number | null => (text.trim() === "" ? null : Number(text));

/** Own names of traffic, and the biggest traffic nobody has named. */
export function ApplicationNames({ list, act }: { list: ApplicationList; act: Act }) {
  const { control, register, handleSubmit, reset, setValue, setFocus, formState } = useForm({
    defaultValues: { name: "", protocol: "17", lowPort: "", highPort: "", network: "" },
  });
  const digits = (most: number) => ({
    validate: (v: string) => v.trim() === "" || (/^\d+$/.test(v.trim()) && Number(v) <= most) || `0 to ${most}.`,
  });
  return (
    <>
      <Heading small="own names stand before the registered ones; they apply to history too">Applications</Heading>
      {list.applications.map((a) => (
        <p
          key={a.id}
          className="grid grid-cols-[11.25rem_1fr_auto] max-slim:grid-cols-1 gap-3 border-t border-line py-[3px] text-ui"
        >
          <b className="font-semibold">{safeText(a.name)}</b>
          <span className="text-quiet">
            {protocolText(a.protocol)}
            {a.lowPort !== null &&
              `, port ${a.lowPort}${a.highPort !== null && a.highPort !== a.lowPort ? `–${a.highPort}` : ""}`}
            {a.network !== null && `, at ${a.network}`}
          </span>
          <TextButton className="underline" onClick={() => void act("DELETE", `/applications/${a.id}`)}>
            take back
          </TextButton>
        </p>
      ))}
      <form
        className="grid grid-cols-[11.25rem_6.875rem_5.625rem_5.625rem_10rem_auto] max-wide:grid-cols-[repeat(auto-fit,minmax(9rem,1fr))] items-start gap-3 border-t border-line pt-1.5"
        onSubmit={handleSubmit(async (v) => {
          await act("POST", "/applications", {
            name: v.name,
            protocol: number(v.protocol),
            lowPort: number(v.lowPort),
            highPort: number(v.highPort),
            network: v.network.trim() === "" ? null : v.network.trim(),
          });
          reset();
        })}
      >
        <Field label="Name" error={formState.errors.name?.message}>
          {(id) => <Input id={id} {...register("name", { required: "A name is needed." })} />}
        </Field>
        <SelectField control={control} name="protocol" label="Protocol" options={PROTOCOL_CHOICES} />
        <Field label="Port" error={formState.errors.lowPort?.message}>
          {(id) => <Input id={id} className="font-mono" {...register("lowPort", digits(65_535))} />}
        </Field>
        <Field label="up to" error={formState.errors.highPort?.message}>
          {(id) => <Input id={id} className="font-mono" {...register("highPort", digits(65_535))} />}
        </Field>
        <Field label="At" hint="an address or block">
          {(id) => <Input id={id} className="font-mono" {...register("network")} />}
        </Field>
        <Button type="submit" className="mt-5 justify-self-start">
          Name it
        </Button>
      </form>
      <Heading small={list.unnamed.length === 0 ? "none in the last 7 days" : "in the last 7 days"}>
        The biggest traffic without a name
      </Heading>
      {list.unnamed.slice(0, 12).map((u) => (
        <p
          key={`${u.protocol} ${u.port}`}
          className="grid grid-cols-[11.25rem_7.5rem_7.5rem_1fr] max-slim:grid-cols-1 gap-3 border-t border-line py-[3px] text-ui"
        >
          <span className="font-mono">
            {protocolText(u.protocol)} {u.port}
          </span>
          <span className="text-right tabular-nums">{bytesText(u.bytes)}</span>
          <span className="text-right text-quiet tabular-nums">{u.flows.toLocaleString("en")} flows</span>
          <span className="flex gap-4">
            <Link
              to={`/records?${new URLSearchParams({ filter: `kind is flow and protocol is ${u.protocol} and (src port is ${u.port} or dst port is ${u.port})` })}`}
            >
              its flows
            </Link>
            <TextButton
              className="underline"
              onClick={() => {
                setValue("protocol", [6, 17].includes(u.protocol) ? String(u.protocol) : "");
                setValue("lowPort", String(u.port));
                setFocus("name");
              }}
            >
              name it
            </TextButton>
          </span>
        </p>
      ))}
    </>
  );
}
