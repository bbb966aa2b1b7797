import type { ArrivalRuleJson, ArrivalRuleList } from "@halvik/contract/arrival";
import { bytesText } from "@halvik/core/meaning/sentence";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { toast } from "sonner";
import { request } from "../../data/api";
import { arrivalRulesQuery } from "../../data/intake-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { Button, TextButton } from "../../ui/button";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { clockMs, dayMinute } from "../../ui/time";
import { DeleteButton } from "../../ui/twice-button";
import { ArrivalForm } from "./arrival-form";
import { DebugOffer } from "./debug-offer";

const n = (count: number): string => Math.round(count).toLocaleString("en");

/** What happens to records before they are stored: rules in their order, what each did, and what it would do. */
export function ArrivalPage() {
  const client = useQueryClient();
  const zone = useViewStore((s) => s.zone);
  const { data, error } = useQuery(arrivalRulesQuery);
  const [address, setAddress] = useSearchParams();
  const asked = address.get("filter");
  // what a new rule begins with: from the page that led here, or from what is offered on this one
  const [begun, setBegun] = useState(asked === null ? undefined : { filter: asked, name: address.get("name") ?? "" });
  const [editing, setEditing] = useState<number | "new" | null>(begun === undefined ? null : "new");
  const close = () => {
    setEditing(null);
    setBegun(undefined);
    if (asked !== null) setAddress({}, { replace: true });
  };
  const change = useMutation({
    mutationFn: ({ method, path, body }: { method: string; path: string; body?: object }) =>
      request<ArrivalRuleList>(method, `/arrival-rules${path}`, body),
    onSuccess: (list) => client.setQueryData(["arrival-rules"], list),
  });
  const act = (method: string, path: string, body?: object) =>
    change.mutateAsync({ method, path, ...(body ? { body } : {}) }).catch((e: Error) => {
      toast.error(e.message);
    });
  const rules = data?.rules ?? [];
  const move = (at: number, by: number) => {
    const ids = rules.map((r) => r.id);
    const [id] = ids.splice(at, 1);
    ids.splice(at + by, 0, id!);
    void act("POST", "/order", { ids });
  };
  return (
    <Page title="On arrival">
      <div className="flex items-baseline gap-4">
        <h1 className="text-page leading-[1.625rem] font-semibold">On arrival</h1>
        <Link to="/intake" className="text-ui">
          back to Intake
        </Link>
        <span className="ml-auto self-center">
          <Button main onClick={() => setEditing("new")}>
            Add a rule
          </Button>
        </span>
      </div>
      <p className="text-ui text-quiet">
        Asked in this order before anything is stored; the first that says keep or drop decides, marks add up. What is
        dropped is counted and reaches no rule of correlation.
      </p>
      {data && editing === null && (
        <DebugOffer
          rules={rules}
          onMake={(filter, name) => {
            setBegun({ filter, name });
            setEditing("new");
          }}
        />
      )}
      <Scroller label="Rules of arrival">
        {error && <Trouble error={error} what="The rules of arrival cannot be shown" />}
        {editing === "new" && data && (
          <ArrivalForm
            rule={null}
            begin={begun}
            days={data.days}
            onSave={(body) => change.mutateAsync({ method: "POST", path: "", body })}
            onCancel={close}
          />
        )}
        {data && rules.length === 0 && editing === null && (
          <EmptyState
            title="Everything is kept"
            text="A rule can drop what nobody needs, keep it for less long, make it more or less severe, or tag it. Debug messages are the usual first."
          />
        )}
        {rules.map((r, i) =>
          editing === r.id && data ? (
            <ArrivalForm
              key={r.id}
              rule={r.rule}
              days={data.days}
              onSave={(rule) => change.mutateAsync({ method: "PATCH", path: `/${r.id}`, body: { rule } })}
              onCancel={() => setEditing(null)}
            />
          ) : (
            <Rule
              key={r.id}
              rule={r}
              place={i + 1}
              zone={zone}
              onUp={i > 0 ? () => move(i, -1) : null}
              onDown={i < rules.length - 1 ? () => move(i, 1) : null}
              onEdit={() => setEditing(r.id)}
              onSwitch={() => void act("PATCH", `/${r.id}`, { enabled: !r.enabled })}
              onRemove={() =>
                void act("DELETE", `/${r.id}`).then(() =>
                  toast(`“${r.rule.name}” is deleted`, {
                    action: { label: "Undo", onClick: () => void act("POST", "", r.rule) },
                  }),
                )
              }
            />
          ),
        )}
      </Scroller>
    </Page>
  );
}

interface RuleProps {
  readonly rule: ArrivalRuleJson;
  readonly place: number;
  readonly zone: string;
  readonly onUp: (() => void) | null;
  readonly onDown: (() => void) | null;
  readonly onEdit: () => void;
  readonly onSwitch: () => void;
  readonly onRemove: () => void;
}

function Rule({ rule: r, place, zone, onUp, onDown, onEdit, onSwitch, onRemove }: RuleProps) {
  return (
    <section
      aria-label={r.rule.name}
      data-testid="arrival-rule"
      className={`grid grid-cols-[1.5rem_1fr_auto] gap-3 border-t border-line py-1.5 text-ui ${r.enabled ? "" : "opacity-60"}`}
    >
      <span className="text-right text-quiet tabular-nums">{place}</span>
      <div className="min-w-0">
        <p>
          <b className="font-semibold">{safeText(r.rule.name)}</b>
          {!r.enabled && <span className="text-quiet"> · stopped</span>}
        </p>
        <p className="break-words">
          What matches <code className="font-mono text-code">{safeText(r.rule.filter)}</code> {safeText(r.says)}.
        </p>
        {r.broken !== null && <p className="text-vermilion">It does not run: {safeText(r.broken)}</p>}
        <p className="text-quiet">
          {r.week === 0
            ? "met nothing in the last 7 days"
            : `met ${n(r.day)} in the last day, ${n(r.week)} in 7 days${r.last === null ? "" : `, last about ${dayMinute(usOf(r.last), zone)}`}`}
          {r.dropped > 0 && ` · dropped ${n(r.dropped)} of them, ${bytesText(r.droppedBytes)} as they came`}
          {` · ${safeText(r.author)}, ${dayMinute(usOf(r.changed), zone)}`}
        </p>
        {r.samples.length > 0 && (
          <details>
            <summary className="cursor-pointer text-small text-fjord">the last ones it dropped</summary>
            {r.samples.map((s, i) => (
              <p key={`${s.at} ${i}`} className="grid grid-cols-[6.5rem_9rem_1fr] gap-2 font-mono text-code">
                <span className="text-quiet">{clockMs(usOf(s.at), zone)}</span>
                <span className="truncate text-quiet">{safeText(s.sender)}</span>
                <span className="min-w-0 break-words">{safeText(s.text)}</span>
              </p>
            ))}
          </details>
        )}
      </div>
      <span className="flex items-start gap-2">
        <TextButton onClick={() => onUp?.()} disabled={onUp === null} aria-label={`Ask ${r.rule.name} earlier`}>
          ↑
        </TextButton>
        <TextButton onClick={() => onDown?.()} disabled={onDown === null} aria-label={`Ask ${r.rule.name} later`}>
          ↓
        </TextButton>
        <TextButton onClick={onEdit}>change</TextButton>
        <TextButton onClick={onSwitch}>{r.enabled ? "stop" : "start"}</TextButton>
        <DeleteButton inText onDelete={onRemove} />
      </span>
    </section>
  );
}
