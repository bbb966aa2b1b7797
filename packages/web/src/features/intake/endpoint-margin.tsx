import { type EndpointJson, type EndpointList, type EndpointSettings, TRIED_KINDS } from "@halvik/contract/kinds";
import { useForm } from "react-hook-form";
import { useViewStore, usOf } from "../../data/view-store";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { CONTROL } from "../../ui/look";
import { Facts, Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { clockMs } from "../../ui/time";
import { DeleteButton } from "../../ui/twice-button";
import { isLoopback, KIND_WORDS, State, sayLikeness } from "./endpoint-words";
import { FlowStreams } from "./flow-streams";
import { InstructionList } from "./instruction-list";
import { hostFor, instructionsFor } from "./instructions";
import { PacketFields } from "./packet-fields";
import { SnmpCommunities } from "./snmp-communities";
import { SnmpUsers } from "./snmp-users";
import { TestMessage } from "./test-message";

/** Datagrams or flows an exporter counted that never came. */
interface Gap {
  readonly exporter: string;
  readonly missed: number;
  readonly outOfOrder: number;
}

interface EndpointMarginProps {
  readonly gaps: readonly Gap[];
  readonly endpoint: EndpointJson;
  readonly list: EndpointList;
  readonly onChange: (body: object) => Promise<unknown>;
  readonly onRemove: () => Promise<unknown>;
  readonly onClose: () => void;
}

/** One endpoint: change it, set up senders for it, see what could not be decoded. */
export function EndpointMargin({ endpoint: e, gaps, list, onChange, onRemove, onClose }: EndpointMarginProps) {
  const zone = useViewStore((s) => s.zone);
  return (
    <>
      <div className="flex items-start justify-between gap-2">
        <h2 className="text-title leading-6 font-semibold">{e.name}</h2>
        <Button onClick={onClose} aria-label="Close the margin" shortcut="Esc" />
      </div>
      <p className="text-ui text-quiet">
        {KIND_WORDS[e.kind]} · <State endpoint={e} />
      </p>
      {e.detail !== "" && <p className="mt-1 text-ui text-ochre">{e.detail}</p>}
      <div className="mt-2 flex gap-1.5">
        <Button onClick={() => void onChange({ enabled: !e.enabled })}>{e.enabled ? "Stop" : "Start"}</Button>
        {e.portSetting === null && <DeleteButton onDelete={() => void onRemove()} />}
      </div>
      {e.settings.packets ? (
        <>
          <Heading>Reads the packets of</Heading>
          <ChangePackets key={JSON.stringify(e.settings.packets)} packets={e.settings.packets} onChange={onChange} />
        </>
      ) : (
        <>
          <Heading>Listens on</Heading>
          <Change key={`${e.host} ${e.port}`} endpoint={e} onChange={onChange} />
        </>
      )}
      {e.kind === "snmp" && <SnmpCommunities endpoint={e} />}
      {e.kind === "snmp" && <SnmpUsers />}
      <Heading small={e.kind !== "packets" && isLoopback(e.host) ? "reachable from this machine only" : undefined}>
        {e.kind === "packets" ? "Set it up" : "Set up senders"}
      </Heading>
      {e.enabled && TRIED_KINDS.includes(e.kind) && <TestMessage endpoint={e} />}
      <InstructionList of={e.name} instructions={instructionsFor(e, hostFor(e), list)} />
      <Heading small={e.samples.length === 0 ? "none" : "latest"}>Could not be decoded</Heading>
      {e.samples.map((s, i) => (
        <div key={`${s.at} ${i}`} className="mb-1.5 border-t border-line pt-1 text-ui">
          <span className="text-quiet">
            {clockMs(usOf(s.at), zone)} from {s.peer}
          </span>
          <p>
            {safeText(s.message)} ({s.code}, at {s.offset})
          </p>
          {s.looksLike !== null && <p className="text-ochre">{sayLikeness(s.looksLike)}</p>}
          <pre className="max-h-24 overflow-y-auto bg-wash px-2 py-1 font-mono text-small leading-[1.0625rem] break-all whitespace-pre-wrap">
            {s.hex.replace(/../g, "$& ")}
          </pre>
        </div>
      ))}
      {e.kind === "flow" && (
        <>
          <FlowStreams />
          <Heading small={gaps.length === 0 ? "none" : "all flow endpoints"}>Gaps in sequence numbers</Heading>
          <Facts
            facts={gaps.map((g) => [
              g.exporter,
              `${g.missed.toLocaleString("en")} missing${g.outOfOrder > 0 ? `, ${g.outOfOrder} out of order` : ""}`,
            ])}
          />
        </>
      )}
      <Heading>Counted since the collector started</Heading>
      <Facts
        facts={Object.entries(e.counters)
          .filter(([, n]) => n > 0)
          .map(([name, n]) => [name, n.toLocaleString("en")])}
      />
    </>
  );
}

/** Address, port and what the kind can be told besides. */
function Change({ endpoint: e, onChange }: { endpoint: EndpointJson; onChange: EndpointMarginProps["onChange"] }) {
  const { register, handleSubmit, formState } = useForm({
    defaultValues: {
      host: e.host,
      port: String(e.port),
      mapping: e.settings.mapping ? JSON.stringify(e.settings.mapping, null, 1) : "",
    },
  });
  const submit = handleSubmit(async (v) => {
    const settings: EndpointSettings = {
      ...(e.kind === "https" && v.mapping.trim() !== "" ? { mapping: JSON.parse(v.mapping) } : {}),
    };
    await onChange({
      ...(v.host === e.host ? {} : { host: v.host }),
      ...(Number(v.port) === e.port ? {} : { port: Number(v.port) }),
      settings,
    });
  });
  return (
    <form onSubmit={submit}>
      <div className="grid grid-cols-[1fr_5.625rem] gap-2">
        <Field label="Address">{(id) => <Input id={id} className="font-mono" {...register("host")} />}</Field>
        <Field label="Port" error={formState.errors.port?.message}>
          {(id) => (
            <Input
              id={id}
              className="font-mono"
              {...register("port", { validate: (p) => (/^\d{1,5}$/.test(p) && Number(p) <= 65_535) || "1 to 65535." })}
            />
          )}
        </Field>
      </div>
      {e.kind === "https" && (
        <Field
          label="JSON mapping"
          hint='such as {"src":"client.ip"}; empty: the usual names'
          error={formState.errors.mapping?.message}
        >
          {(id) => (
            <textarea
              id={id}
              rows={4}
              className={`${CONTROL} w-full font-mono text-small`}
              {...register("mapping", { validate: (text) => text.trim() === "" || isJson(text) || "Not valid JSON." })}
            />
          )}
        </Field>
      )}
      <Button type="submit">Save</Button>
    </form>
  );
}

/** Which packets are read; the endpoint begins anew with them. */
function ChangePackets({
  packets,
  onChange,
}: {
  packets: NonNullable<EndpointSettings["packets"]>;
  onChange: EndpointMarginProps["onChange"];
}) {
  const { control, register, handleSubmit, formState } = useForm({ defaultValues: packets });
  return (
    <form
      onSubmit={handleSubmit(async (changed) => {
        await onChange({ settings: { packets: { ...packets, ...changed } } });
      })}
    >
      <div className="grid grid-cols-[1fr_1fr] gap-2">
        <PacketFields control={control} register={register} errors={formState.errors} />
        <Field label="Told as" hint="address of the sender">
          {(id) => <Input id={id} className="font-mono" {...register("as")} />}
        </Field>
      </div>
      <Button type="submit">Save</Button>
    </form>
  );
}

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}
