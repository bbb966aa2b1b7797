import { Forward } from "@halvik/core/forward";
import { useEffect, useRef, useState } from "react";
import { Controller, useForm } from "react-hook-form";
import { WhichRecords } from "../../shared/which-records";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { SelectField } from "../../ui/form";

interface Values {
  name: string;
  filter: string;
  way: string;
  host: string;
  port: string;
  url: string;
  header: string;
  framing: string;
  source: string;
  certificate: string;
  secret: string;
}

const WAYS = [
  { value: "syslog udp", label: "syslog over UDP" },
  { value: "syslog tcp", label: "syslog over TCP" },
  { value: "syslog tls", label: "syslog over TLS" },
  { value: "snmp", label: "SNMP notifications, UDP" },
  { value: "flow", label: "flow datagrams, UDP" },
  { value: "json", label: "JSON lines over HTTPS" },
];
const HEADERS = [
  { value: "as it came", label: "as it came" },
  { value: "origin", label: "with who sent it, as structured data" },
];
const FRAMINGS = [
  { value: "counted", label: "counted octets" },
  { value: "lines", label: "a line each" },
];
const SOURCES = [
  { value: "own", label: "this machine’s own" },
  { value: "sender", label: "of who sent it" },
];
const DATAGRAMS: readonly string[] = ["syslog udp", "snmp", "flow"];
/** Registered with IANA, or usual (IPFIX 4739; common practice). */
const PORTS: Readonly<Record<string, string>> = {
  "syslog udp": "514",
  "syslog tcp": "601",
  "syslog tls": "6514",
  snmp: "162",
  flow: "4739",
};

function valuesOf(forward: Forward | null): Values {
  const way = forward?.way;
  return {
    name: forward?.name ?? "",
    filter: forward?.filter ?? "",
    way: way === undefined ? "syslog tls" : way.is === "syslog" ? `syslog ${way.transport}` : way.is,
    host: way !== undefined && way.is !== "json" ? way.host : "",
    port: way === undefined ? "6514" : way.is === "json" ? "" : String(way.port),
    url: way?.is === "json" ? way.url : "",
    header: way?.is === "syslog" ? way.header : "as it came",
    framing: way?.is === "syslog" ? way.framing : "counted",
    source: way !== undefined && "source" in way ? way.source : "own",
    certificate: way !== undefined && "certificate" in way ? (way.certificate ?? "") : "",
    secret: "",
  };
}

function wayOf(v: Values): object {
  const certificate = v.certificate.trim() === "" ? null : v.certificate;
  const source = DATAGRAMS.includes(v.way) ? v.source : "own";
  const place = { host: v.host.trim(), port: Number(v.port), source };
  const [is, transport] = v.way.split(" ");
  if (is === "json") return { is, url: v.url.trim(), certificate };
  if (is !== "syslog") return { is, ...place };
  return {
    is,
    transport,
    ...place,
    header: v.header,
    framing: v.framing,
    certificate: transport === "tls" ? certificate : null,
  };
}

interface ForwardFormProps {
  readonly forward: Forward | null;
  readonly hasSecret: boolean;
  readonly onSave: (body: { forward: Forward; secret?: string }) => Promise<unknown>;
  readonly onCancel: () => void;
}

/** What is passed on, and where to. */
export function ForwardForm({ forward, hasSecret, onSave, onCancel }: ForwardFormProps) {
  const { control, register, handleSubmit, watch, getValues, setValue } = useForm<Values>({
    defaultValues: valuesOf(forward),
  });
  const [trouble, setTrouble] = useState<string | null>(null);
  const way = watch("way");
  const isJson = way === "json";
  const wayBefore = useRef(way);
  useEffect(() => {
    // another way has another usual port; one that somebody chose stays
    if (getValues("port") === (PORTS[wayBefore.current] ?? "")) setValue("port", PORTS[way] ?? "");
    wayBefore.current = way;
  }, [way, getValues, setValue]);
  return (
    <form
      aria-label={forward === null ? "New forward" : `Change ${forward.name}`}
      className="border-y border-line bg-wash px-3 py-2"
      onSubmit={handleSubmit(async (v) => {
        const parsed = Forward.safeParse({ name: v.name, filter: v.filter, way: wayOf(v) });
        if (!parsed.success) return setTrouble(parsed.error.issues[0]!.message);
        await onSave({ forward: parsed.data, ...(v.secret === "" ? {} : { secret: v.secret }) }).then(
          onCancel,
          (e: Error) => setTrouble(e.message),
        );
      })}
    >
      <div className="grid grid-cols-[14rem_1fr] gap-3 max-wide:grid-cols-1">
        <Field label="Name">{(id) => <Input id={id} maxLength={80} {...register("name")} />}</Field>
        <Controller
          control={control}
          name="filter"
          render={({ field }) => (
            <WhichRecords
              about={
                way === "flow"
                  ? "From which senders: datagrams go whole"
                  : "Records that match; empty: only what rules of arrival send here"
              }
              placeholder={
                way === "flow"
                  ? "such as: kind is flow, or sender in group routers"
                  : "such as: severity at least error"
              }
              value={field.value}
              onChange={field.onChange}
            />
          )}
        />
      </div>
      <div className="grid grid-cols-[14rem_1fr_7rem_14rem_10rem] items-start gap-3 max-wide:grid-cols-2">
        <SelectField control={control} name="way" label="In which form, by which way" options={WAYS} />
        {isJson ? (
          <Field label="Web address">
            {(id) => <Input id={id} placeholder="https://logs.example/in" {...register("url")} />}
          </Field>
        ) : (
          <>
            <Field label="To: host or address">{(id) => <Input id={id} {...register("host")} />}</Field>
            <Field label="Port" hint={PORTS[way] === watch("port") ? undefined : `usual: ${PORTS[way]}`}>
              {(id) => <Input id={id} inputMode="numeric" {...register("port")} />}
            </Field>
          </>
        )}
        {way.startsWith("syslog") && <SelectField control={control} name="header" label="Header" options={HEADERS} />}
        {DATAGRAMS.includes(way) && (
          <SelectField control={control} name="source" label="Source address" options={SOURCES} />
        )}
        {(way === "syslog tcp" || way === "syslog tls") && (
          <SelectField control={control} name="framing" label="Framing" options={FRAMINGS} />
        )}
      </div>
      {(way === "syslog tls" || isJson) && (
        <div className="grid grid-cols-2 gap-3 max-wide:grid-cols-1">
          <Field label="SHA-256 of its certificate" hint="Empty: an authority this machine trusts must have signed it.">
            {(id) => <Input id={id} className="font-mono" {...register("certificate")} />}
          </Field>
          {isJson && (
            <Field label="Bearer token" hint={hasSecret ? "One is kept; empty leaves it." : "Empty: none is sent."}>
              {(id) => <Input id={id} type="password" autoComplete="off" {...register("secret")} />}
            </Field>
          )}
        </div>
      )}
      {DATAGRAMS.includes(way) && watch("source") === "sender" && (
        <p className="text-ui text-quiet">
          The receiver sees each datagram come from who sent it. The system must permit it: Halvik is started as root
          with <code className="font-mono text-code">HALVIK_FORWARD_AS_SENDER=true</code>, and no router on the way may
          drop such datagrams. Nothing reports then that nobody listens there.
        </p>
      )}
      {trouble !== null && (
        <p role="alert" className="text-ui text-vermilion">
          {trouble}
        </p>
      )}
      <div className="flex gap-1.5">
        <Button type="submit" main>
          Save
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
    </form>
  );
}
