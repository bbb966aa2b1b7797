import { readSeconds, writeSeconds } from "@halvik/core/base/time";
import type { Act, Piece } from "@halvik/core/detect/form";
import { FIELDS } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { SavedText } from "@halvik/core/query/filter";
import { X } from "lucide-react";
import { useState } from "react";
import type { Offers } from "../../data/use-field-values";
import { FilterField } from "../../shared/filter-field";
import { readAmount, writeAmount } from "../../shared/written-amount";
import { Select } from "../../ui/select";
import { Toggles } from "../../ui/toggles";
import { Tooltip } from "../../ui/tooltip";

type Value = Exclude<Piece, string | Act>;

/** What a filter in a rule is written with. */
export interface FilterHelp {
  readonly directory: SenderDirectory | null;
  readonly zone: string;
  /** Saved filters that it may name: the rule keeps them as they are when it is saved. */
  readonly saved: readonly SavedText[];
  readonly valuesOf: Offers;
}

const look = "mx-0.5 border-0 border-b border-dotted border-ink bg-sheet px-1 font-mono text-ui leading-5 text-ink";
/** A choice within the sentence: of a line's height. */
const PICK =
  "mx-0.5 !border-0 !border-b !border-dotted !border-ink !px-1 !py-0 align-baseline font-mono text-ui leading-5";
const DAYS = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"];

/** A number as people write it; what is not understood yet is not taken, and stays to be mended. */
function WrittenField({
  label,
  empty,
  value,
  as: { write, read, expected, width },
  onChange,
}: {
  label: string;
  empty: string;
  value: unknown;
  as: Writing;
  onChange: (value: unknown) => void;
}) {
  const said = typeof value === "number" ? write(value) : "";
  const [draft, setDraft] = useState<string | null>(null);
  const text = draft ?? said;
  const wrong = text.trim() !== "" && read(text) === null;
  return (
    <Tooltip text={wrong ? expected : ""}>
      <input
        aria-label={label}
        aria-invalid={wrong}
        placeholder={empty}
        className={`${look} ${wrong ? "border-vermilion" : ""}`}
        style={{ width: `${Math.max(text.length, empty.length, width) + 2}ch` }}
        value={text}
        onChange={(e) => {
          const number = read(e.target.value);
          setDraft(e.target.value);
          if (e.target.value.trim() === "") onChange(undefined);
          else if (number !== null) onChange(number);
        }}
        onBlur={() => !wrong && setDraft(null)}
      />
    </Tooltip>
  );
}

/** How a sort of number is written. */
interface Writing {
  readonly write: (n: number) => string;
  readonly read: (text: string) => number | null;
  readonly expected: string;
  /** Characters there is room for at least. */
  readonly width: number;
}

const SPAN: Writing = {
  write: writeSeconds,
  read: readSeconds,
  expected: "Expected a span such as 90 s, 10 min or 1 h 30 min.",
  width: 6,
};
const AMOUNT: Writing = {
  write: writeAmount,
  read: readAmount,
  expected: "Expected a number, or an amount such as 800 MB.",
  width: 4,
};

/** Fields, one after another: each taken out by its cross, another one picked from all there are. */
function FieldsPicker({
  label,
  fields,
  onChange,
}: {
  label: string;
  fields: readonly string[];
  onChange: (value: unknown) => void;
}) {
  return (
    <fieldset aria-label={label} className="mx-0.5 inline border-0 p-0">
      {fields.map((f) => (
        <span key={f} className="mr-1 border-b border-dotted border-ink bg-sheet px-1 font-mono text-ui leading-5">
          {f}
          <button
            type="button"
            aria-label={`${label}: without ${f}`}
            className="ml-1 align-middle text-quiet hover:text-vermilion"
            onClick={() => onChange(fields.filter((other) => other !== f))}
          >
            <X size={12} aria-hidden />
          </button>
        </span>
      ))}
      <Select
        label={`${label}: add a field`}
        className={PICK}
        value=""
        placeholder={fields.length === 0 ? "everything together" : "and …"}
        options={FIELDS.filter((f) => !fields.includes(f.name)).map((f) => ({
          value: f.name,
          label: f.name,
          about: f.about,
        }))}
        onChange={(f) => onChange([...fields, f])}
      />
    </fieldset>
  );
}

/** A value of a rule in its place in the sentence, with what it is picked with. `onChange(undefined)`: the rule says nothing of it. */
export function Picker({
  piece,
  value,
  help,
  onChange,
}: {
  piece: Value;
  value: unknown;
  help: FilterHelp;
  onChange: (value: unknown) => void;
}) {
  const label = piece.at.join(" ");
  switch (piece.as) {
    case "number":
      return <WrittenField as={AMOUNT} label={label} empty={piece.empty} value={value} onChange={onChange} />;
    case "span":
      return <WrittenField as={SPAN} label={label} empty={piece.empty} value={value} onChange={onChange} />;
    case "choice":
    case "field": {
      const of = piece.as === "choice" ? piece.of : FIELDS.map((f) => f.name);
      const names = piece.as === "choice" ? piece.names : undefined;
      return (
        <Select
          label={label}
          className={PICK}
          value={String(value ?? "")}
          onChange={onChange}
          options={of.map((o) => ({ value: o, label: names?.[o] ?? o }))}
        />
      );
    }
    case "yes":
      return (
        <Select
          label={label}
          className={PICK}
          value={value === true ? "nothing of" : "then"}
          onChange={(chosen) => onChange(chosen === "then" ? undefined : true)}
          options={["then", "nothing of"]}
        />
      );
    case "fields":
      return <FieldsPicker label={label} fields={Array.isArray(value) ? value.map(String) : []} onChange={onChange} />;
    case "filter":
      return (
        <div
          className="mx-0.5 inline-block max-w-full min-w-56 align-middle leading-5"
          style={{ "--filter-pad": "1px", "--filter-side": "4px" } as React.CSSProperties}
        >
          <FilterField
            label={label}
            placeholder="every record"
            className="border-b border-dotted border-ink bg-sheet text-ink"
            value={String(value ?? "")}
            onChange={onChange}
            onSubmit={onChange}
            {...help}
          />
        </div>
      );
    case "days":
      return (
        <>
          <Toggles
            label={label}
            chosen={Array.isArray(value) ? value.map(String) : []}
            onChange={(days) => onChange(DAYS.filter((d) => days.includes(d)))}
            options={DAYS.map((name) => ({ name, short: name.slice(0, 2) }))}
          />
          {(!Array.isArray(value) || value.length === 0) && <span className="ml-1.5">every day</span>}
        </>
      );
    case "time":
      return (
        <input
          aria-label={label}
          type="time"
          className={look}
          value={String(value ?? "")}
          onChange={(e) => e.target.value !== "" && onChange(e.target.value)}
        />
      );
    default:
      return (
        <input
          aria-label={label}
          className={look}
          style={{ width: `${Math.min(Math.max(String(value ?? "").length + 2, 18), 60)}ch` }}
          value={String(value ?? "")}
          onChange={(e) => onChange(e.target.value)}
        />
      );
  }
}
