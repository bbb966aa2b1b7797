import type { PolicyAnswer } from "@halvik/contract/traffic";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { type EndsAsked, policyQuery } from "../../data/api";
import { useWindow } from "../../data/use-window";
import { useViewStore, usOf } from "../../data/view-store";
import { windowAndFilter } from "../../data/window-url";
import { AddressName } from "../../shared/address-names";
import { Button } from "../../ui/button";
import { Trouble } from "../../ui/empty-state";
import { Field, Input } from "../../ui/field";
import { Heading, Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { sayAmount } from "./amounts";
import { PlainTable } from "./plain-table";
import { Policies } from "./policies";

const read = (params: URLSearchParams): EndsAsked => ({
  src: params.get("src") ?? "",
  dst: params.get("dst") ?? "",
  port: params.get("port") ?? "",
});

/** A window that follows the clock moves on by so much: what is looked through takes its time. */
const MINUTE_US = 60e6;

/** Was it allowed? What firewalls decided between some ends, by which policy, what flowed, and what does not go together. */
export function PolicyPage() {
  const [params, setParams] = useSearchParams();
  const ends = read(params);
  const window = useWindow(MINUTE_US);
  const zone = useViewStore((s) => s.zone);
  const { data, error, isFetching } = useQuery(policyQuery(window, ends));
  const ask = (to: EndsAsked) =>
    setParams((before) => {
      const next = new URLSearchParams(before);
      for (const [name, value] of Object.entries(to))
        if (value.trim() === "") next.delete(name);
        else next.set(name, value.trim());
      return next;
    });
  return (
    <Page title="Was it allowed?">
      <div className="border-b border-line-strong pb-1.5">
        <h1 className="text-page leading-[1.625rem] font-semibold">Was it allowed?</h1>
        <EndsForm ends={ends} onAsk={ask} />
      </div>
      <Scroller label="What was decided">
        {error && <Trouble error={error} what="This cannot be answered" />}
        {!data && isFetching && <p className="pt-2 text-quiet">Looking …</p>}
        {ends.src === "" && ends.dst === "" && ends.port === "" && <Policies window={window} zone={zone} />}
        {data && <Answer answer={data} busy={isFetching} />}
      </Scroller>
    </Page>
  );
}

function EndsForm({ ends, onAsk }: { ends: EndsAsked; onAsk: (ends: EndsAsked) => void }) {
  const [draft, setDraft] = useState(ends);
  const { src, dst, port } = ends;
  // what the address says when one goes back
  useEffect(() => setDraft({ src, dst, port }), [src, dst, port]);
  const input = (name: keyof EndsAsked, label: string, hint: string, width: string) => (
    <Field label={label}>
      {(id) => (
        <Input
          id={id}
          className={`font-mono ${width}`}
          placeholder={hint}
          value={draft[name]}
          onChange={(e) => setDraft({ ...draft, [name]: e.target.value })}
        />
      )}
    </Field>
  );
  return (
    <form
      aria-label="From whom to whom"
      className="mt-1 flex flex-wrap items-end gap-x-3"
      onSubmit={(e) => {
        e.preventDefault();
        onAsk(draft);
      }}
    >
      {input("src", "From", "anyone", "w-44")}
      {input("dst", "To", "anyone", "w-44")}
      {input("port", "Port", "any", "w-24")}
      <span className="mb-2.5">
        <Button main type="submit">
          Check
        </Button>
      </span>
    </form>
  );
}

function Answer({ answer, busy }: { answer: PolicyAnswer; busy: boolean }) {
  const zone = useViewStore((s) => s.zone);
  const when = (iso: string) => dayMinute(usOf(iso), zone);
  const { decisions, flows, partial, ports, policies, contradictions } = answer;
  const records = (filter: string) => ({ pathname: "/records", search: windowAndFilter(filter) });
  return (
    <div aria-busy={busy}>
      <p className="pt-2">
        <Link to={records(answer.decisionFilter)}>{decisions.toLocaleString("en")} decisions</Link> and{" "}
        <Link to={records(answer.flowFilter)}>{flows.toLocaleString("en")} flows</Link>
        {partial ? ", the newest; there are more. Narrow it for all of them, and for what does not go together." : "."}
      </p>
      {contradictions.length > 0 && (
        <>
          <Heading small={contradictions.length}>What does not go together</Heading>
          <ul className="m-0 list-none p-0 text-ui">
            {contradictions.map((c) => (
              <li key={`${c.code} ${c.at} ${c.src} ${c.dst} ${c.port}`} className="border-l-2 border-ochre py-0.5 pl-2">
                {when(c.at)}{" "}
                <span className="font-mono text-code">
                  {c.src}
                  <AddressName address={c.src} /> → {c.dst}
                  <AddressName address={c.dst} />
                  {c.port === null ? "" : ` :${c.port}`}
                </span>{" "}
                <Contradicted of={c} />
              </li>
            ))}
          </ul>
        </>
      )}
      <Heading>By port</Heading>
      <PlainTable
        label="By port"
        heads={["port", "accepted", "denied", "rejected", "flows", "bytes"]}
        rows={ports.map((p) => [
          safeText(p.label),
          count(p.accept),
          count(p.deny),
          count(p.reject),
          count(p.flows),
          p.bytes === 0 ? "" : sayAmount(p.bytes, "bytes"),
        ])}
      />
      <Heading>By policy</Heading>
      <PlainTable
        label="By policy"
        heads={["policy", "verdict", "times", "device", "zones", "first", "last"]}
        rows={policies.map((p) => [
          p.policy === null ? <span className="text-quiet">none named</span> : safeText(p.policy),
          p.action === "accept" ? "accepted" : <b>{p.action === "deny" ? "denied" : "rejected"}</b>,
          count(p.count),
          safeText(p.device),
          safeText(p.zones),
          when(p.first),
          when(p.last),
        ])}
      />
    </div>
  );
}

function Contradicted({ of: { code, device, before, policy } }: { of: PolicyAnswer["contradictions"][number] }) {
  const name = (p: string | null) => (p === null ? "no policy it named" : safeText(p));
  switch (code) {
    case "denied and yet flowed":
      return <>was denied by {safeText(device)}, and yet flows carried more than tries.</>;
    case "accepted and nothing flowed":
      return <>was accepted by {safeText(device)}, and no flow of it was seen.</>;
    case "accepted by another policy":
      return (
        <>
          was accepted on {safeText(device)} by {name(policy)}, before by {name(before)}.
        </>
      );
  }
}

const count = (n: number): string => (n === 0 ? "" : n.toLocaleString("en"));
