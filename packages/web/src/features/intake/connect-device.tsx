import { type EndpointJson, type EndpointList, TRIED_KINDS } from "@halvik/contract/kinds";
import type { SenderJson } from "@halvik/contract/senders";
import { NOT_HEARD } from "@halvik/core/assure";
import { useRef, useState } from "react";
import { useViewStore, usOf } from "../../data/view-store";
import { Button } from "../../ui/button";
import { Field } from "../../ui/field";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { type Admission, AdmitForm } from "./admit-form";
import { isLoopback, KIND_WORDS, receivedBy } from "./endpoint-words";
import { InstructionList } from "./instruction-list";
import { FAMILIES, hostFor, instructionsFor } from "./instructions";
import { TestMessage } from "./test-message";

interface ConnectDeviceProps {
  readonly list: EndpointList;
  readonly senders: readonly SenderJson[];
  readonly sites: readonly string[];
  readonly onAdmit: (sender: SenderJson, facts: Admission) => void;
  readonly onClose: () => void;
}

/** From a device to its first line: what to type there, and what has come since. */
export function ConnectDevice({ list, senders, sites, onAdmit, onClose }: ConnectDeviceProps) {
  const [name, setName] = useState("");
  const chosen = FAMILIES.find((f) => f.name === name);
  const kinds = chosen?.kinds ?? [];
  const endpoints = kinds.flatMap((kind) => list.endpoints.filter((e) => e.kind === kind && e.enabled));
  // what holds for every way in stands at the first
  const own = endpoints
    .flatMap((endpoint) =>
      instructionsFor(endpoint, hostFor(endpoint), list)
        .filter((i) => i.families.includes(chosen!.family))
        .map((instruction) => ({ endpoint, instruction })),
    )
    .filter(({ instruction }, i, all) => all.findIndex((o) => o.instruction.text === instruction.text) === i);
  const onlyHere = endpoints.filter((e) => isLoopback(e.host));
  return (
    <section aria-label="Connect a device">
      <div className="flex items-start justify-between gap-2">
        <h2 className="text-title leading-6 font-semibold">Connect a device</h2>
        <Button onClick={onClose} aria-label="Close the margin" shortcut="Esc" />
      </div>
      <Field label="What kind of device">
        {(id) => (
          <Select
            id={id}
            value={name}
            placeholder="choose …"
            onChange={setName}
            options={FAMILIES.map((f) => f.name)}
            className="w-full"
          />
        )}
      </Field>
      {chosen && endpoints.length === 0 && (
        <p className="text-ui text-ochre">
          No endpoint for this is switched on: add one of {kinds.map((k) => KIND_WORDS[k]).join(" or ")} first.
        </p>
      )}
      {endpoints.length > 0 && (
        <Arrivals key={name} endpoints={endpoints} senders={senders} sites={sites} onAdmit={onAdmit} />
      )}
      {onlyHere.length > 0 && (
        <p className="mt-2 text-ui text-ochre">
          {onlyHere.length === endpoints.length ? "Reachable" : `${onlyHere.map((e) => e.name).join(", ")}: reachable`}{" "}
          from this machine only. To receive from others, set{" "}
          <code className="font-mono text-small">HALVIK_LISTEN_HOST=0.0.0.0</code> and restart Halvik, or change the
          endpoint’s address.
        </p>
      )}
      {chosen &&
        endpoints.map((e) => (
          <div key={e.id}>
            <Heading small={`${e.name}, ${hostFor(e)}:${e.port}`}>{KIND_WORDS[e.kind]}</Heading>
            <InstructionList
              of={e.name}
              instructions={own.filter(({ endpoint }) => endpoint === e).map(({ instruction }) => instruction)}
            />
          </div>
        ))}
      <details className="mt-3">
        <summary className="cursor-pointer text-ui text-fjord">What is not heard, and what to set instead</summary>
        {NOT_HEARD.map((n) => (
          <p key={n.what} className="mt-1 text-ui">
            <span className="text-quiet">{n.what}:</span> {n.instead}.
          </p>
        ))}
      </details>
    </section>
  );
}

/** What came by these endpoints since this was opened, and who waits to be let in. */
function Arrivals({
  endpoints,
  senders,
  sites,
  onAdmit,
}: {
  endpoints: readonly EndpointJson[];
  senders: readonly SenderJson[];
  sites: readonly string[];
  onAdmit: ConnectDeviceProps["onAdmit"];
}) {
  const nowUs = useViewStore((s) => s.nowUs);
  const openedUs = useRef(nowUs).current;
  const received = endpoints.reduce((sum, e) => sum + receivedBy(e), 0);
  const before = useRef(received).current;
  const [admitting, setAdmitting] = useState<number | null>(null);
  const waiting = senders.filter((s) => s.state === "waiting");
  const admitted = senders.filter(
    (s) => s.state === "admitted" && s.firstSeen !== null && usOf(s.firstSeen) >= openedUs,
  );
  const came = received - before;
  return (
    <>
      <p aria-live="polite" className="text-ui" data-testid="connect-received">
        {came <= 0 ? (
          <span className="text-quiet">Set the device up as below. Waiting for its first message …</span>
        ) : (
          <b className="font-semibold">
            received: {came.toLocaleString("en")} {came === 1 ? "message" : "messages"}
          </b>
        )}
      </p>
      {came <= 0 &&
        endpoints
          .filter((e) => TRIED_KINDS.includes(e.kind))
          .slice(0, 1)
          .map((e) => <TestMessage key={e.id} endpoint={e} />)}
      {waiting.map((s) => (
        <div key={s.id} className="border-t border-line py-1 text-ui">
          <div className="flex items-center justify-between gap-2">
            <span>
              <span className="font-mono">{safeText(s.name)}</span>{" "}
              <span className="text-quiet">
                waits for admission, {s.held.toLocaleString("en")} {s.held === 1 ? "record" : "records"} held
              </span>
            </span>
            <Button main onClick={() => setAdmitting(s.id)}>
              Admit …
            </Button>
          </div>
          {admitting === s.id && (
            <AdmitForm
              sender={s}
              sites={sites}
              onCancel={() => setAdmitting(null)}
              onAdmit={(facts) => onAdmit(s, facts)}
            />
          )}
        </div>
      ))}
      {admitted.map((s) => (
        <p key={s.id} className="border-t border-line py-1 text-ui">
          <span className="font-mono">{safeText(s.name)}</span>{" "}
          <span className="text-quiet">
            is admitted, {s.records.toLocaleString("en")} {s.records === 1 ? "record" : "records"} stored
          </span>
        </p>
      ))}
    </>
  );
}
