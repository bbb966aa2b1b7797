import type { RecordPage } from "@halvik/contract/records";
import type { Trace, TraceMessage } from "@halvik/contract/trace";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { Link, useSearchParams } from "react-router";
import { request } from "../../data/api";
import { endpointsQuery, sendersQuery } from "../../data/intake-queries";
import { Button } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Field, Input } from "../../ui/field";
import { SelectField } from "../../ui/form";
import { CONTROL } from "../../ui/look";
import { Page, Scroller } from "../../ui/page";
import { TraceSteps } from "./trace-steps";

const PROTOCOLS = [
  { value: "syslog", label: "syslog" },
  { value: "snmp", label: "SNMP notification" },
  { value: "windows", label: "Windows event (XML)" },
  { value: "json", label: "JSON" },
  { value: "flow", label: "flow datagram" },
];
const WRITTEN = [
  { value: "text", label: "as text" },
  { value: "hex", label: "in hexadecimal" },
];

/** One message followed on its way: pasted, the next of a sender, or one that is stored. */
export function TracePage() {
  const [address, setAddress] = useSearchParams();
  const record = address.get("record");
  const stored = useQuery({
    queryKey: ["trace", record],
    queryFn: ({ signal }) => request<Trace>("GET", `/records/${record}/trace`, undefined, signal),
    enabled: record !== null,
    // what waits goes on
    refetchInterval: ({ state }) => (state.data?.steps.some((s) => s.state === "waits") ? 2_000 : false),
  });
  const pasted = useMutation({ mutationFn: (body: TraceMessage) => request<Trace>("POST", "/trace", body) });
  const shown = record === null ? pasted.data : stored.data;
  const error = record === null ? pasted.error : stored.error;
  return (
    <Page title="Trace">
      <div className="flex items-baseline gap-4">
        <h1 className="text-page leading-[1.625rem] font-semibold">Trace</h1>
        <Link to="/intake" className="text-ui">
          back to Intake
        </Link>
      </div>
      <p className="text-ui text-quiet">
        Follow one message from its octets to its notifications. What is pasted is not stored and nobody is notified; it
        is decoded and decided about as it would be if it came now.
      </p>
      <Scroller label="Trace">
        <div className="grid grid-cols-[1fr_1.2fr] gap-6 max-wide:grid-cols-1">
          <div>
            <PasteForm
              busy={pasted.isPending}
              onTrace={(body) => {
                setAddress({}, { replace: true });
                pasted.mutate(body);
              }}
            />
            <NextOf onFound={(id) => setAddress({ record: id })} />
          </div>
          <div aria-live="polite">
            {error && <Trouble error={error} what="It cannot be followed" />}
            {shown && <TraceSteps trace={shown} isStored={record !== null} />}
          </div>
        </div>
      </Scroller>
    </Page>
  );
}

function PasteForm({ busy, onTrace }: { busy: boolean; onTrace: (body: TraceMessage) => void }) {
  const endpoints = useQuery(endpointsQuery);
  const { control, register, handleSubmit, formState } = useForm<TraceMessage>({
    defaultValues: { protocol: "syslog", as: "text", body: "", from: "", endpoint: "" },
  });
  return (
    <form aria-label="Follow a message that is pasted" onSubmit={handleSubmit(onTrace)}>
      <div className="grid grid-cols-3 gap-3">
        <SelectField control={control} name="protocol" label="It is" options={PROTOCOLS} />
        <SelectField control={control} name="as" label="Written" options={WRITTEN} />
        <SelectField
          control={control}
          name="endpoint"
          label="It comes by"
          options={[{ value: "", label: "any way" }, ...(endpoints.data?.endpoints ?? []).map((e) => e.name)]}
        />
      </div>
      <Field label="From: the address or the name of a sender" error={formState.errors.from?.message}>
        {(id) => <Input id={id} list="senders-known" {...register("from", { required: "Say from whom it comes." })} />}
      </Field>
      <Field label="The message" error={formState.errors.body?.message}>
        {(id) => (
          <textarea
            id={id}
            rows={6}
            spellCheck={false}
            placeholder="<38>Nov 29 02:11:07 srv-1 sshd[411]: Failed password for root from 203.0.113.9 port 4022 ssh2"
            className={`w-full font-mono text-code ${CONTROL}`}
            {...register("body", { required: "Paste a message." })}
          />
        )}
      </Field>
      <Button type="submit" main disabled={busy}>
        Follow it
      </Button>
    </form>
  );
}

/** Waits for the next record of a sender, and follows it. */
function NextOf({ onFound }: { onFound: (id: string) => void }) {
  const senders = useQuery(sendersQuery);
  const [name, setName] = useState("");
  const [since, setSince] = useState<string | null>(null);
  useQuery({
    queryKey: ["trace-next", name, since],
    enabled: since !== null,
    refetchInterval: 1_000,
    queryFn: async ({ signal }) => {
      const filter = `sender is ${quoteIfNeeded(name)} and arrival at least ${since}`;
      const page = await request<RecordPage>(
        "GET",
        `/records?${new URLSearchParams({ filter, limit: "1" })}`,
        undefined,
        signal,
      );
      const [found] = page.records;
      if (found !== undefined) {
        setSince(null);
        onFound(found.id);
      }
      return page.records.length;
    },
  });
  const known = (senders.data?.senders ?? []).filter((s) => s.state === "admitted");
  return (
    <form
      aria-label="Wait for the next of a sender"
      className="mt-4 border-t border-line pt-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (name.trim() !== "") setSince(new Date().toISOString());
      }}
    >
      <Field label="Or wait for the next one of a sender">
        {(id) => <Input id={id} list="senders-known" value={name} onChange={(e) => setName(e.target.value)} />}
      </Field>
      <datalist id="senders-known">
        {known.map((s) => (
          <option key={s.id} value={s.name} />
        ))}
      </datalist>
      {since === null ? (
        <Button type="submit">Wait for it</Button>
      ) : (
        <p role="status" className="text-ui">
          Waiting for {name} … <Button onClick={() => setSince(null)}>Stop waiting</Button>
        </p>
      )}
    </form>
  );
}
