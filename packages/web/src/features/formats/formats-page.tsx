import type { OwnFormatJson, OwnFormatList } from "@halvik/contract/formats";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { toast } from "sonner";
import { recordQuery, request } from "../../data/api";
import { formatsQuery } from "../../data/intake-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { Button, TextButton } from "../../ui/button";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import { DeleteButton } from "../../ui/twice-button";
import { FormatForm } from "./format-form";
import { ReadHistory, Readings } from "./read-history";

const n = (count: number): string => Math.round(count).toLocaleString("en");

/** Formats that people made, in the order they are tried; a new one begins with real lines. */
export function FormatsPage() {
  const client = useQueryClient();
  const zone = useViewStore((s) => s.zone);
  const [address, setAddress] = useSearchParams();
  const of = address.get("of");
  const record = useQuery({ ...recordQuery(of ?? ""), enabled: of !== null });
  const { data, error } = useQuery(formatsQuery);
  const [editing, setEditing] = useState<number | "new" | null>(null);
  const [reading, setReading] = useState<OwnFormatJson | null>(null);
  const change = useMutation({
    mutationFn: ({ method, path, body }: { method: string; path: string; body?: object }) =>
      request<OwnFormatList>(method, `/formats${path}`, body),
    onSuccess: (list) => client.setQueryData(["formats"], list),
  });
  const act = (method: string, path: string, body?: object) =>
    change.mutateAsync({ method, path, ...(body ? { body } : {}) }).catch((e: Error) => {
      toast.error(e.message);
    });
  const formats = data?.formats ?? [];
  const move = (at: number, by: number) => {
    const ids = formats.map((f) => f.id);
    const [id] = ids.splice(at, 1);
    ids.splice(at + by, 0, id!);
    void act("POST", "/order", { ids });
  };
  const close = () => {
    setEditing(null);
    if (of !== null) setAddress({}, { replace: true });
  };
  const begin = record.data && {
    lines: [record.data.record.text.split("\n")[0] ?? ""],
    filter: (record.data.record.app ?? null) === null ? "" : `app is ${quoteIfNeeded(record.data.record.app ?? "")}`,
  };
  return (
    <Page title="Formats">
      <div className="flex items-baseline gap-4">
        <h1 className="text-page leading-[1.625rem] font-semibold">Formats</h1>
        <Link to="/intake" className="text-ui">
          back to Intake
        </Link>
        <a href="/api/v1/formats.yaml" className="text-ui">
          as YAML
        </a>
        <span className="ml-auto self-center">
          <Button main onClick={() => setEditing("new")}>
            Make a format
          </Button>
        </span>
      </div>
      <p className="text-ui text-quiet">
        Lines of programs that nobody else knows become typed values, searchable and fit for rules. Tried in this order
        on what arrives, before the rules of arrival; the first that fits is the one. Text and bytes stay as they came.
        What is stored already can be read by them too.
      </p>
      <Scroller label="Formats">
        {error && <Trouble error={error} what="The formats cannot be shown" />}
        {(editing === "new" || (of !== null && begin !== undefined)) && (
          <FormatForm
            format={null}
            begin={begin}
            onSave={(body) => change.mutateAsync({ method: "POST", path: "", body })}
            onCancel={close}
          />
        )}
        {data && formats.length === 0 && editing === null && of === null && (
          <EmptyState
            title="No formats of your own"
            text="Take lines of a program as they are stored, mark what their parts are, and see at once what comes out. Common daemons, firewalls and JSON are understood without one."
          />
        )}
        {formats.map((f, i) =>
          editing === f.id ? (
            <FormatForm
              key={f.id}
              format={f.format}
              onSave={(format) => change.mutateAsync({ method: "PATCH", path: `/${f.id}`, body: { format } })}
              onCancel={close}
            />
          ) : (
            <Format
              key={f.id}
              format={f}
              place={i + 1}
              zone={zone}
              onUp={i > 0 ? () => move(i, -1) : null}
              onDown={i < formats.length - 1 ? () => move(i, 1) : null}
              onEdit={() => setEditing(f.id)}
              onReadHistory={() => setReading(f)}
              onSwitch={() => void act("PATCH", `/${f.id}`, { enabled: !f.enabled })}
              onRemove={() =>
                void act("DELETE", `/${f.id}`).then(() =>
                  toast(`“${f.format.name}” is deleted`, {
                    action: { label: "Undo", onClick: () => void act("POST", "", f.format) },
                  }),
                )
              }
            />
          ),
        )}
        <Readings />
      </Scroller>
      {reading !== null && <ReadHistory format={reading} onClose={() => setReading(null)} />}
    </Page>
  );
}

interface FormatProps {
  readonly format: OwnFormatJson;
  readonly place: number;
  readonly zone: string;
  readonly onUp: (() => void) | null;
  readonly onDown: (() => void) | null;
  readonly onEdit: () => void;
  readonly onReadHistory: () => void;
  readonly onSwitch: () => void;
  readonly onRemove: () => void;
}

function Format({ format: f, place, zone, onUp, onDown, onEdit, onReadHistory, onSwitch, onRemove }: FormatProps) {
  const { name, filter, form } = f.format;
  return (
    <section
      aria-label={name}
      data-testid="own-format"
      className={`grid grid-cols-[1.5rem_1fr_auto] gap-3 border-t border-line py-1.5 text-ui ${f.enabled ? "" : "opacity-60"}`}
    >
      <span className="text-right text-quiet tabular-nums">{place}</span>
      <div className="min-w-0">
        <p>
          <b className="font-semibold">{safeText(name)}</b>
          <span className="text-quiet"> · version {f.version}</span>
          {!f.enabled && <span className="text-quiet"> · stopped</span>}
        </p>
        <p className="break-words">
          <code className="font-mono text-code">{safeText(form.is === "line" ? form.template : SAYS[form.is])}</code>
          {filter !== "" && (
            <span className="text-quiet">
              {" "}
              of <code className="font-mono text-code">{safeText(filter)}</code>
            </span>
          )}
        </p>
        {f.broken !== null && <p className="text-vermilion">It is not tried: {safeText(f.broken)}</p>}
        <p className="text-quiet">
          {f.week === 0 ? (
            "read nothing in the last 7 days"
          ) : (
            <>
              read{" "}
              <Link to={`/records?${new URLSearchParams({ filter: `data format is ${quoteIfNeeded(name)}` })}`}>
                {n(f.day)} in the last day
              </Link>
              , {n(f.week)} in 7 days
            </>
          )}
          {` · ${safeText(f.author)}, ${dayMinute(usOf(f.changed), zone)}`}
        </p>
        {f.near > 0 && (
          <details>
            <summary className="cursor-pointer text-small text-ochre">
              {n(f.near)} lines of the last day nearly fitted: has the program changed?
            </summary>
            {f.nearLines.map((l, i) => (
              <p key={`${l.at} ${i}`} className="font-mono text-code break-words">
                <span className="text-quiet">{safeText(l.sender)} </span>
                {safeText(l.text.slice(0, l.place))}
                <mark className="bg-ochre/25 text-ink">{safeText(l.text.slice(l.place) || "⏎")}</mark>
                <span className="text-quiet"> expected {safeText(l.expected)}</span>
              </p>
            ))}
          </details>
        )}
      </div>
      <span className="flex items-start gap-2">
        <TextButton onClick={() => onUp?.()} disabled={onUp === null} aria-label={`Try ${name} earlier`}>
          ↑
        </TextButton>
        <TextButton onClick={() => onDown?.()} disabled={onDown === null} aria-label={`Try ${name} later`}>
          ↓
        </TextButton>
        <TextButton onClick={onEdit}>change</TextButton>
        <TextButton onClick={onReadHistory} disabled={f.broken !== null}>
          read history
        </TextButton>
        <TextButton onClick={onSwitch}>{f.enabled ? "stop" : "start"}</TextButton>
        <DeleteButton inText onDelete={onRemove} />
      </span>
    </section>
  );
}

const SAYS = {
  pairs: "name=value pairs",
  json: "a JSON object",
  columns: "values in columns",
  positions: "values at fixed places",
} as const;
