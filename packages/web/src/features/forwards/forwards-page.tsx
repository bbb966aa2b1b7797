import type { ForwardJson, ForwardList } from "@halvik/contract/forwarding";
import { bytesText } from "@halvik/core/meaning/sentence";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { request } from "../../data/api";
import { forwardsQuery } from "../../data/intake-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { Button, TextButton } from "../../ui/button";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayClock, dayMinute } from "../../ui/time";
import { DeleteButton } from "../../ui/twice-button";
import { ForwardForm } from "./forward-form";

const n = (count: number): string => Math.round(count).toLocaleString("en");

/** What is passed on to other collectors, in the form in which it came, and what becomes of it. */
export function ForwardsPage() {
  const client = useQueryClient();
  const zone = useViewStore((s) => s.zone);
  const { data, error } = useQuery(forwardsQuery);
  const [editing, setEditing] = useState<number | "new" | null>(null);
  const change = useMutation({
    mutationFn: ({ method, path, body }: { method: string; path: string; body?: object }) =>
      request<ForwardList>(method, `/forwards${path}`, body),
    onSuccess: (list) => client.setQueryData(["forwards"], list),
  });
  const act = (method: string, path: string, body?: object) =>
    change.mutateAsync({ method, path, ...(body ? { body } : {}) }).catch((e: Error) => {
      toast.error(e.message);
    });
  const forwards = data?.forwards ?? [];
  return (
    <Page title="Pass on">
      <div className="flex items-baseline gap-4">
        <h1 className="text-page leading-[1.625rem] font-semibold">Pass on</h1>
        <Link to="/intake" className="text-ui">
          back to Intake
        </Link>
        <span className="ml-auto self-center">
          <Button main onClick={() => setEditing("new")}>
            Add a forward
          </Button>
        </span>
      </div>
      <p className="text-ui text-quiet">
        What is chosen goes on to other collectors as it came, in its order, from a queue on disk: nothing that arrives
        here waits for a receiver. Datagrams leave from this machine’s own address, or from that of who sent them.
      </p>
      <Scroller label="Forwards">
        {error && <Trouble error={error} what="The forwards cannot be shown" />}
        {editing === "new" && (
          <ForwardForm
            forward={null}
            hasSecret={false}
            onSave={(body) => change.mutateAsync({ method: "POST", path: "", body })}
            onCancel={() => setEditing(null)}
          />
        )}
        {data && forwards.length === 0 && editing === null && (
          <EmptyState
            title="Nothing is passed on"
            text="Syslog, notifications and flow datagrams can go on to another collector octet for octet, and any record as a line of JSON; chosen by a filter, or by a rule of arrival."
          />
        )}
        {forwards.map((f) =>
          editing === f.id ? (
            <ForwardForm
              key={f.id}
              forward={f.forward}
              hasSecret={f.hasSecret}
              onSave={(body) => change.mutateAsync({ method: "PATCH", path: `/${f.id}`, body })}
              onCancel={() => setEditing(null)}
            />
          ) : (
            <One
              key={f.id}
              forward={f}
              zone={zone}
              onEdit={() => setEditing(f.id)}
              onSwitch={() => void act("PATCH", `/${f.id}`, { enabled: !f.enabled })}
              onRemove={() => void act("DELETE", `/${f.id}`)}
            />
          ),
        )}
      </Scroller>
    </Page>
  );
}

interface OneProps {
  readonly forward: ForwardJson;
  readonly zone: string;
  readonly onEdit: () => void;
  readonly onSwitch: () => void;
  readonly onRemove: () => void;
}

function One({ forward: f, zone, onEdit, onSwitch, onRemove }: OneProps) {
  const { name, filter, way } = f.forward;
  return (
    <section
      aria-label={name}
      data-testid="forward"
      className={`grid grid-cols-[1fr_auto] gap-3 border-t border-line py-1.5 text-ui ${f.enabled ? "" : "opacity-60"}`}
    >
      <div className="min-w-0">
        <p>
          <b className="font-semibold">{safeText(name)}</b> <State forward={f} />
        </p>
        <p className="break-words">
          {filter === "" ? (
            "What rules of arrival send here"
          ) : (
            <>
              What matches <code className="font-mono text-code">{safeText(filter)}</code>
            </>
          )}
          {f.rules.length > 0 && ` (${f.rules.map((r) => `“${r}”`).join(", ")})`} goes as {safeText(f.says)}
          {way.is === "syslog" && way.header === "origin" && ", with who sent it"}
          {"source" in way && way.source === "sender" && ", from the address of who sent it"}.
        </p>
        {f.broken !== null && <p className="text-vermilion">It chooses nothing: {safeText(f.broken)}</p>}
        {f.state === "trouble" && <p className="text-vermilion">{safeText(f.detail)}</p>}
        <p className="text-quiet">
          {n(f.sent)} delivered since the collector began
          {f.last !== null && `, last ${dayClock(usOf(f.last), zone)}`}
          {f.oldest !== null &&
            ` · ${bytesText(f.queuedBytes)} wait, the oldest since ${dayClock(usOf(f.oldest), zone)}`}
          {f.refused > 0 && <span className="text-ochre"> · {n(f.refused)} refused by the receiver for good</span>}
          {f.lost > 0 && <b className="font-semibold text-vermilion"> · {n(f.lost)} lost: the queue was full</b>}
          {` · ${safeText(f.author)}, ${dayMinute(usOf(f.changed), zone)}`}
        </p>
      </div>
      <span className="flex items-start gap-2">
        <TextButton onClick={onEdit}>change</TextButton>
        <TextButton onClick={onSwitch}>{f.enabled ? "stop" : "start"}</TextButton>
        <DeleteButton inText onDelete={onRemove} />
      </span>
    </section>
  );
}

function State({ forward: f }: { forward: ForwardJson }) {
  if (!f.enabled) return <span className="text-quiet">· stopped</span>;
  if (f.state === "trouble") return <b className="font-semibold text-vermilion">· not delivered</b>;
  return <span className="text-quiet">· {f.oldest === null ? "nothing waits" : "delivering"}</span>;
}
