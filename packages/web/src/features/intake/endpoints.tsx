import type { EndpointJson, EndpointList } from "@halvik/contract/kinds";
import type { Intake } from "@halvik/contract/status";
import { useState } from "react";
import { Button } from "../../ui/button";
import { Heading } from "../../ui/page";
import { AddEndpoint } from "./add-endpoint";
import { isLoopback, KIND_WORDS, placeOf, State, sayLikeness } from "./endpoint-words";

/** Counters that say something did not become a record. */
const isLoss = (name: string): boolean => /^(lost|cut|closed|refused|could not|failed)/.test(name);

interface EndpointsProps {
  readonly list: EndpointList;
  readonly intake: Intake | undefined;
  readonly selectedId: number | null;
  readonly onSelect: (e: EndpointJson) => void;
  readonly onAdd: (body: object) => Promise<unknown>;
}

/** Each way in: what it listens to, its state in words, and its counters. */
export function Endpoints({ list, intake, selectedId, onSelect, onAdd }: EndpointsProps) {
  const [adding, setAdding] = useState(false);
  const onlyHere = list.endpoints.filter((e) => e.enabled && e.kind !== "packets" && isLoopback(e.host));
  return (
    <>
      <Heading
        small={
          onlyHere.length > 0 && (
            <>
              {onlyHere.length === list.endpoints.length ? "all" : onlyHere.length} reachable from this machine only: to
              receive from others, set <code className="font-mono text-small">HALVIK_LISTEN_HOST=0.0.0.0</code>, or one
              of this machine’s addresses
            </>
          )
        }
      >
        Endpoints
      </Heading>
      {list.endpoints.map((e) => (
        <button
          type="button"
          key={e.id}
          data-testid="endpoint"
          aria-current={e.id === selectedId}
          onClick={() => onSelect(e)}
          className={`group grid w-full grid-cols-[10rem_6rem_8.75rem_1fr_12px] max-wide:grid-cols-[1fr_auto_12px] items-baseline gap-3 border-t border-line py-[3px] text-left text-ui ${e.id === selectedId ? "bg-fjord-wash" : "hover:bg-wash"}`}
        >
          <span className="truncate font-semibold text-fjord underline decoration-line-strong underline-offset-[3px] group-hover:decoration-fjord">
            {e.name}
          </span>
          <span className="text-quiet max-wide:hidden">{KIND_WORDS[e.kind]}</span>
          <span className="font-mono text-code text-quiet">{placeOf(e)}</span>
          <span className="min-w-0 max-wide:order-last max-wide:col-span-3">
            <State endpoint={e} /> <Counters counters={e.counters} />
            {e.detail !== "" && <span className="block text-ochre">{e.detail}</span>}
            {e.samples[0]?.looksLike && e.samples[0].looksLike.way !== e.kind && (
              <span className="block text-ochre">
                What comes from {e.samples[0].peer} cannot be read here. {sayLikeness(e.samples[0].looksLike)}
              </span>
            )}
          </span>
          <span aria-hidden className="text-quiet group-hover:text-fjord">
            ›
          </span>
        </button>
      ))}
      <div className="border-t border-line py-1.5">
        {adding ? (
          <AddEndpoint onAdd={onAdd} onClose={() => setAdding(false)} />
        ) : (
          <Button onClick={() => setAdding(true)}>Add an endpoint</Button>
        )}
      </div>
      {intake && <Collector intake={intake} />}
    </>
  );
}

function Counters({ counters }: { counters: EndpointJson["counters"] }) {
  return Object.entries(counters)
    .filter(([, n]) => n > 0)
    .map(([name, n]) => (
      <span key={name} className={isLoss(name) ? "font-semibold text-vermilion" : "text-quiet"}>
        {" · "}
        {n.toLocaleString("en")} {n === 1 ? name.replace(/s\b/, "") : name}
      </span>
    ));
}

function Collector({ intake }: { intake: Intake }) {
  const collector = intake.roles.find((r) => r.role === "collector");
  const spooling = intake.collector.spooling === true;
  const own = (name: string) => Number(intake.collector[name] ?? 0);
  return (
    <p className="border-y border-line py-1.5 text-ui text-quiet">
      {collector?.running ? "Collector running" : <b className="text-vermilion">Collector not running</b>}, since it
      started{": "}
      {own("stored").toLocaleString("en")} stored · {own("held").toLocaleString("en")} held for admission ·{" "}
      {own("refused").toLocaleString("en")} refused · {own("capped").toLocaleString("en")} over the rate cap ·{" "}
      {own("lost").toLocaleString("en")} lost · {own("undecodable").toLocaleString("en")} not decodable
      {own("sequence gaps") > 0 && (
        <b className="text-ochre">
          {" "}
          · {own("sequence gaps").toLocaleString("en")} flows or datagrams missing by sequence
        </b>
      )}
      {own("held for templates") > 0 &&
        ` · ${own("held for templates").toLocaleString("en")} flow sets arrived before their template`}
      {own("held sets given up") > 0 && (
        <b className="text-ochre"> · {own("held sets given up").toLocaleString("en")} dropped: no template arrived</b>
      )}{" "}
      · spool{" "}
      {spooling ? (
        <b className="text-ochre">in use, {(own("spoolBytes") / 1e6).toFixed(1)} MB not stored yet</b>
      ) : (
        "empty"
      )}{" "}
      · {(own("memoryBytes") / 1e6).toFixed(0)} MB of memory
    </p>
  );
}
