import { readSeconds, writeSeconds } from "@halvik/core/base/time";
import type { Act, Piece } from "@halvik/core/detect/form";
import { FIELDS } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { useId, useState } from "react";
import { FilterField } from "../../shared/filter-field";
import { Select } from "../../ui/select";
import { Toggles } from "../../ui/toggles";
import { Tooltip } from "../../ui/tooltip";

type Value = Exclude<Piece, string | Act>;

/** What a filter in a rule is written with. */
export interface FilterHelp {
  readonly directory: SenderDirectory | null;
  readonly zone: string;
  readonly valuesOf: (field: string) => Promise<readonly { readonly label: string; readonly count: number }[]>;
}

const look = "mx-0.5 border-0 border-b border-dotted border-ink bg-sheet px-1 font-mono text-ui leading-5 text-ink";
/** A choice within the sentence: of a line's height. */
const PICK =
  "mx-0.5 !border-0 !border-b !border-dotted !border-ink !px-1 !py-0 align-baseline font-mono text-ui leading-5";
const DAYS = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"];
const NOTHING_SAVED: readonly never[] = [];

/** Seconds as people write them; what is not understood yet is not taken, and stays to be mended. */
function SpanField({
  label,
  empty,
  value,
  onChange,
}: {
  label: string;
  empty: string;
  value: unknown;
  onChange: (value: unknown) => void;
}) {
  const said = typeof value === "number" ? writeSeconds(value) : "";
  const [draft, setDraft] = useState<string | null>(null);
  const text = draft ?? said;
  const wrong = text.trim() !== "" && readSeconds(text) === null;
  return (
    <Tooltip text={wrong ? "Expected a span such as 90 s, 10 min or 1 h 30 min." : ""}>
      <input
        aria-label={label}
        aria-invalid={wrong}
        placeholder={empty}
        className={`${look} ${wrong ? "border-vermilion" : ""}`}
        style={{ width: `${Math.max(text.length, empty.length, 6) + 2}ch` }}
        value={text}
        onChange={(e) => {
          const seconds = readSeconds(e.target.value);
          setDraft(e.target.value);
          if (e.target.value.trim() === "") onChange(undefined);
          else if (seconds !== null) onChange(seconds);
        }}
        onBlur={() => !wrong && setDraft(null)}
      />
    </Tooltip>
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
  const list = useId();
  const label = piece.at.join(" ");
  switch (piece.as) {
    case "number":
      return (
        <input
          aria-label={label}
          type="number"
          step="any"
          placeholder={piece.empty}
          className={look}
          // its digits and the arrows beside them
          style={{ width: `${Math.max(String(value ?? piece.empty).length + 5, 8)}ch` }}
          value={value === undefined || value === null ? "" : Number(value)}
          onChange={(e) => onChange(e.target.value === "" ? undefined : Number(e.target.value))}
        />
      );
    case "span":
      return <SpanField label={label} empty={piece.empty} value={value} onChange={onChange} />;
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
      return (
        <>
          <input
            aria-label={label}
            list={list}
            className={`${look} w-40`}
            value={Array.isArray(value) ? value.join(", ") : ""}
            placeholder="everything together"
            onChange={(e) =>
              onChange(e.target.value.split(/\s*,\s*/).filter((f, i, all) => f !== "" || i < all.length - 1))
            }
          />
          <datalist id={list}>
            {FIELDS.map((f) => (
              <option key={f.name} value={f.name} />
            ))}
          </datalist>
        </>
      );
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
            saved={NOTHING_SAVED}
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
