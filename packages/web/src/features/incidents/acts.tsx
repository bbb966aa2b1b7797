import { CLOSE_REASONS } from "@halvik/core/respond/incidents";
import { useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, type ReactNode, useState } from "react";
import { sessionQuery } from "../../data/api";
import { isoOf, presentUs } from "../../data/view-store";
import { usePageKeys } from "../../navigation/keys";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { CONTROL } from "../../ui/look";
import { Radio } from "../../ui/radio";
import { Select } from "../../ui/select";
import { SHELF } from "./shelf";
import { type Act, useActs } from "./use-acts";

type What = Act["what"];

/** What was typed or chosen so far, whichever act it turns out to be for. */
interface Draft {
  readonly note: string;
  readonly reason: (typeof CLOSE_REASONS)[number];
  readonly to: string;
  readonly spanUs: number;
}
const EMPTY: Draft = { note: "", reason: "fixed", to: "", spanUs: SHELF[0][1] };

interface ActsProps {
  /** The incidents it is done to. */
  readonly ids: readonly number[];
  /** Of one incident: which of these make no sense for it. */
  readonly without?: readonly What[];
  /** The act that is due next, if one is. */
  readonly main?: What | null;
  readonly onDone?: () => void;
  readonly children?: ReactNode;
}

const BUTTONS: readonly (readonly [what: What, label: string, key: string | undefined])[] = [
  ["acknowledge", "Acknowledge", "a"],
  ["note", "Note", "n"],
  ["assign", "Assign", undefined],
  ["shelve", "Shelve", undefined],
  ["close", "Close", "c"],
];

/** What is done to incidents, the same for one and for several: acknowledge, note, assign, shelve, close. Typed words stay until they are sent. */
export function Acts({ ids, without = [], main = null, onDone, children }: ActsProps) {
  const [what, setWhat] = useState<What | null>(null);
  const [draft, setDraft] = useState(EMPTY);
  const acts = useActs(() => {
    setWhat(null);
    setDraft(EMPTY);
    onDone?.();
  });
  const open = (next: What) => (e?: { preventDefault(): void }) => {
    if (ids.length === 0 || without.includes(next)) return;
    e?.preventDefault();
    setWhat(next);
  };
  usePageKeys({
    ...Object.fromEntries(BUTTONS.flatMap(([w, , key]) => (key === undefined ? [] : [[key, open(w)]]))),
    ...(what === null ? {} : { Escape: () => setWhat(null) }),
  });
  return (
    <>
      <div className="flex flex-wrap items-center gap-1.5">
        {BUTTONS.filter(([w]) => !without.includes(w)).map(([w, label, key]) => (
          <Button
            key={w}
            main={main === w}
            aria-expanded={what === w}
            {...(key === undefined ? {} : { shortcut: key })}
            onClick={open(w)}
          >
            {label}
          </Button>
        ))}
        {children}
      </div>
      {what !== null && (
        <ActForm
          what={what}
          draft={draft}
          onDraft={setDraft}
          busy={acts.isPending}
          onCancel={() => setWhat(null)}
          onAct={(act) => acts.mutate({ ids: [...ids], act })}
        />
      )}
    </>
  );
}

const LABELS: Readonly<Record<What, string>> = {
  acknowledge: "Acknowledge",
  note: "Add the note",
  assign: "Assign",
  shelve: "Shelve",
  close: "Close",
};

const REASON_WORDS: Readonly<Record<(typeof CLOSE_REASONS)[number], string>> = {
  fixed: "fixed (the same within 24 h returns here)",
  expected: "expected (the same later starts anew)",
  false: "false: the rule was wrong (the same later starts anew)",
  duplicate: "duplicate: another incident holds it",
};

function ActForm({
  what,
  draft,
  onDraft,
  busy,
  onCancel,
  onAct,
}: {
  what: What;
  draft: Draft;
  onDraft: (draft: Draft) => void;
  busy: boolean;
  onCancel: () => void;
  onAct: (act: Act) => void;
}) {
  const session = useQuery(sessionQuery);
  const note = draft.note.trim();
  const isReady = what === "note" || what === "shelve" ? note !== "" : true;
  const submit = () => {
    if (!isReady || busy) return;
    if (what === "close") onAct({ what, reason: draft.reason, note });
    else if (what === "assign") onAct({ what, to: draft.to.trim() === "" ? null : draft.to.trim() });
    else if (what === "shelve") onAct({ what, until: isoOf(presentUs() + draft.spanUs), why: note });
    else onAct({ what, note });
  };
  const onKeyDown = (e: KeyboardEvent<HTMLFormElement>) => {
    if (e.key === "Escape") onCancel();
    // in a note a line may end; elsewhere Enter sends
    const sends = e.ctrlKey || e.metaKey || (what !== "note" && !e.shiftKey && e.target instanceof HTMLTextAreaElement);
    if (e.key !== "Enter" || !sends) return;
    e.preventDefault();
    submit();
  };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        submit();
      }}
      onKeyDown={onKeyDown}
      aria-label={LABELS[what]}
      className="mt-2 max-w-[40rem] border border-line-strong bg-sheet p-2.5"
    >
      {what === "close" && (
        <div className="mb-2 text-ui">
          <p className="text-quiet">Reason</p>
          <Radio
            label="Reason"
            value={draft.reason}
            onChange={(reason) => onDraft({ ...draft, reason: reason as Draft["reason"] })}
            options={CLOSE_REASONS.map((value) => ({ value, label: REASON_WORDS[value] }))}
          />
        </div>
      )}
      {what === "shelve" && (
        <Field label="How long" hint="It comes back by itself.">
          {(id) => (
            <Select
              id={id}
              value={String(draft.spanUs)}
              onChange={(us) => onDraft({ ...draft, spanUs: Number(us) })}
              options={SHELF.map(([label, us]) => ({ value: String(us), label }))}
              className="w-full"
            />
          )}
        </Field>
      )}
      {what === "assign" ? (
        <Field label="Who works on it" hint="Empty: nobody.">
          {(id) => (
            <div className="flex gap-1.5">
              <Input
                id={id}
                autoFocus
                value={draft.to}
                maxLength={120}
                onChange={(e) => onDraft({ ...draft, to: e.target.value })}
              />
              <Button onClick={() => onAct({ what, to: session.data?.name ?? null })}>To me</Button>
            </div>
          )}
        </Field>
      ) : (
        <label className="block text-ui text-quiet">
          {what === "note" ? "Note, as Markdown" : what === "shelve" ? "Why" : "Note (optional)"}
          <textarea
            rows={what === "note" ? 4 : 2}
            // biome-ignore lint/a11y/noAutofocus: the form was opened by a key, to write into
            autoFocus
            maxLength={4_000}
            value={draft.note}
            onChange={(e) => onDraft({ ...draft, note: e.target.value })}
            className={`${CONTROL} mt-0.5 w-full`}
          />
        </label>
      )}
      <div className="mt-1 flex items-baseline gap-1.5">
        <Button main type="submit" disabled={busy || !isReady}>
          {LABELS[what]}
        </Button>
        <Button onClick={onCancel} shortcut="Esc">
          Cancel
        </Button>
        <span className="text-small text-quiet">
          {what === "note" ? "Ctrl+Enter sends" : what === "assign" ? "" : "Enter sends"}
        </span>
      </div>
    </form>
  );
}
