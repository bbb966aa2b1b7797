import type { FormatPreview, FormatProposals } from "@halvik/contract/formats";
import type { RecordPage } from "@halvik/contract/records";
import { type Form, FormatError, isRead, readerOf } from "@halvik/core/decode/lines";
import type { OwnFormat } from "@halvik/core/formats";
import { CATEGORIES, OUTCOMES, SEVERITIES } from "@halvik/core/model/record";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { request } from "../../data/api";
import { useViewStore } from "../../data/view-store";
import { WhichRecords } from "../../shared/which-records";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { CONTROL } from "../../ui/look";
import { Segments } from "../../ui/segments";
import { Select } from "../../ui/select";
import { type Draft, draftOf, formatOf, NEW_DRAFT } from "./draft";
import { FormParts } from "./form-parts";
import { Preview } from "./preview";

const LINES = 20;

const FORMS = [
  { value: "line", label: "a line with values" },
  { value: "pairs", label: "name=value" },
  { value: "json", label: "JSON" },
  { value: "columns", label: "columns" },
  { value: "positions", label: "fixed places" },
] as const;

const EMPTY_FORMS: Readonly<Record<Form["is"], Form>> = {
  line: { is: "line", template: "" },
  pairs: { is: "pairs", between: " ", equals: "=" },
  json: { is: "json" },
  columns: { is: "columns", by: ",", names: ["", "", ""] },
  positions: { is: "positions", columns: [{ from: 0, name: "" }] },
};

const OPTIONAL = (names: readonly string[]) => [{ value: "", label: "as it came" }, ...names];

interface FormatFormProps {
  readonly format: OwnFormat | null;
  /** What it begins with when it is new. */
  readonly begin?: { readonly lines: readonly string[]; readonly filter: string } | undefined;
  readonly onSave: (format: OwnFormat) => Promise<unknown>;
  readonly onCancel: () => void;
}

/** A format is made from real lines: what they may be is proposed, what comes out is shown before it is saved. */
export function FormatForm({ format, begin, onSave, onCancel }: FormatFormProps) {
  const zone = useViewStore((s) => s.zone);
  const [draft, setDraft] = useState<Draft>(() =>
    format === null ? { ...NEW_DRAFT, filter: begin?.filter ?? "" } : draftOf(format),
  );
  const [text, setText] = useState((format?.examples ?? begin?.lines ?? []).join("\n"));
  const [trouble, setTrouble] = useState<string | null>(null);
  const lines = text.split("\n").filter((l) => l.trim() !== "");
  const change = (more: Partial<Draft>) => setDraft((d) => ({ ...d, ...more }));

  const propose = useMutation({
    mutationFn: (of: readonly string[]) =>
      request<FormatProposals>("POST", "/formats/propose", { lines: of.slice(0, 50) }),
    onSuccess: ({ proposals }) => {
      const [first] = proposals;
      if (first !== undefined) change({ form: first.form, names: first.names });
    },
    onError: (e) => setTrouble(e.message),
  });
  const take = useMutation({
    mutationFn: () =>
      request<RecordPage>(
        "GET",
        `/records?${new URLSearchParams({ filter: draft.filter.trim() || "kind is syslog", limit: String(LINES) })}`,
      ),
    onSuccess: ({ records }) => {
      const texts = [...new Set(records.map((r) => r.text.split("\n")[0] ?? "").filter((t) => t !== ""))];
      if (texts.length === 0) setTrouble("No records match: nothing to take.");
      else {
        setTrouble(null);
        setText(texts.join("\n"));
        // what somebody has made of such lines already stays
        if (draft.form === NEW_DRAFT.form) propose.mutate(texts);
      }
    },
    onError: (e) => setTrouble(e.message),
  });
  const preview = useMutation({
    mutationFn: (body: OwnFormat) =>
      request<FormatPreview>("POST", "/formats/preview", {
        format: { ...body, examples: [] },
        lines: lines.slice(0, 50),
      }),
    onSuccess: () => setTrouble(null),
    onError: (e) => setTrouble(e.message),
  });
  const read = (): OwnFormat | null => {
    const made = formatOf(draft, fitting(draft, lines));
    setTrouble(typeof made === "string" ? made : null);
    return typeof made === "string" ? null : made;
  };
  const to = (is: Form["is"]) => {
    const proposed = propose.data?.proposals.find((p) => p.form.is === is);
    change(proposed ? { form: proposed.form, names: proposed.names } : { form: EMPTY_FORMS[is], names: {} });
  };
  return (
    <form
      aria-label={format === null ? "New format" : `Change ${format.name}`}
      className="border-y border-line bg-wash px-3 py-2"
      onSubmit={(e) => {
        e.preventDefault();
        const made = read();
        if (made !== null) void onSave(made).then(onCancel, (wrong: Error) => setTrouble(wrong.message));
      }}
    >
      <div className="grid grid-cols-[14rem_1fr] gap-3 max-wide:grid-cols-1">
        <Field label="Name">
          {(id) => (
            <Input id={id} value={draft.name} maxLength={80} onChange={(e) => change({ name: e.target.value })} />
          )}
        </Field>
        <WhichRecords
          about="Tried on records that match; empty: on every line"
          placeholder="such as: app is cranes"
          value={draft.filter}
          onChange={(filter) => change({ filter })}
        />
      </div>
      <Field label="Lines to read, one below the other; those that fit are kept as its test lines">
        {(id) => (
          <textarea
            id={id}
            rows={4}
            spellCheck={false}
            wrap="off"
            className={`w-full font-mono text-code ${CONTROL}`}
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        )}
      </Field>
      <div className="mb-2 flex flex-wrap items-center gap-1.5">
        <Button onClick={() => take.mutate()}>Take the latest {LINES} that match</Button>
        <Button onClick={() => propose.mutate(lines)} disabled={lines.length === 0}>
          Propose a form
        </Button>
        <span className="ml-2">
          <Segments label="What the lines are" value={draft.form.is} onChange={to} options={FORMS} />
        </span>
      </div>
      <FormParts draft={draft} lines={lines} onChange={change} />
      <details className="my-2" open={draft.words !== "" || draft.category !== "" || draft.severity !== ""}>
        <summary className="cursor-pointer text-ui text-fjord">What holds of each record, and its own words</summary>
        <div className="mt-1 grid grid-cols-[10rem_10rem_10rem_10rem_10rem] gap-3 max-wide:grid-cols-2">
          <Field label="Category">
            {(id) => (
              <Select
                id={id}
                value={draft.category}
                options={OPTIONAL(CATEGORIES)}
                className="w-full"
                onChange={(v) => change({ category: v as Draft["category"] })}
              />
            )}
          </Field>
          <Field label="Outcome">
            {(id) => (
              <Select
                id={id}
                value={draft.outcome}
                options={OPTIONAL(OUTCOMES)}
                className="w-full"
                onChange={(v) => change({ outcome: v as Draft["outcome"] })}
              />
            )}
          </Field>
          <Field label="Severity">
            {(id) => (
              <Select
                id={id}
                value={draft.severity}
                options={[
                  { value: "", label: "as it came" },
                  ...SEVERITIES.map((s, i) => ({ value: String(i), label: `${i} ${s}` })),
                ]}
                className="w-full"
                onChange={(severity) => change({ severity })}
              />
            )}
          </Field>
          <Field label="Application">
            {(id) => <Input id={id} value={draft.app} onChange={(e) => change({ app: e.target.value })} />}
          </Field>
          <Field label="Event">
            {(id) => <Input id={id} value={draft.event} onChange={(e) => change({ event: e.target.value })} />}
          </Field>
        </div>
        <Field label="Its own words, one a line" hint="severity: WRN = warning — also of outcome, action and category.">
          {(id) => (
            <textarea
              id={id}
              rows={2}
              className={`w-full font-mono text-code ${CONTROL}`}
              value={draft.words}
              onChange={(e) => change({ words: e.target.value })}
            />
          )}
        </Field>
      </details>
      {trouble !== null && (
        <p role="alert" className="text-ui text-vermilion">
          {trouble}
        </p>
      )}
      <div className="flex gap-1.5">
        <Button
          onClick={() => {
            const made = formatOf({ ...draft, name: draft.name.trim() || "on trial" }, []);
            if (typeof made === "string") setTrouble(made);
            else preview.mutate(made);
          }}
        >
          What does it read?
        </Button>
        <Button type="submit" main>
          Save
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
      {preview.data && <Preview preview={preview.data} zone={zone} />}
    </form>
  );
}

/** Lines that the format fits: they are to fit whenever it is saved. */
function fitting(draft: Draft, lines: readonly string[]): readonly string[] {
  try {
    const { read } = readerOf({ form: draft.form, names: { ...draft.names } });
    return lines.filter((l) => isRead(read(l))).slice(0, 20);
  } catch (e) {
    if (e instanceof FormatError) return [];
    throw e;
  }
}
