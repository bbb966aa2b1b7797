import { FIELDS, type FieldName, field as fieldOf } from "@halvik/core/model/record";
import {
  comparatorsOf,
  type FilterPart,
  type FilterParts,
  filterParts,
  isComplete,
  joinParts,
  type ParseContext,
  takesValue,
} from "@halvik/core/query/filter";
import { useId, useRef, useState } from "react";
import { Button } from "../../ui/button";

interface FilterFormProps {
  /** The filter as it stands in the editor. */
  readonly text: string;
  readonly context: ParseContext;
  readonly valuesOf: (field: string) => Promise<readonly { readonly label: string; readonly count: number }[]>;
  readonly onChange: (text: string) => void;
  readonly onApply: () => void;
  readonly onClose: () => void;
}

const FIRST: FilterPart = { type: "comparison", field: "severity", comparator: "at least", value: "" };
const control = "rounded-[2px] border border-line-strong bg-sheet px-1.5 py-0.5";

/** The filter in the editor as lines of field, comparison and value; both say the same at all times. */
export function FilterForm({ text, context, valuesOf, onChange, onApply, onClose }: FilterFormProps) {
  const read = filterParts(text, context);
  const [form, setForm] = useState<FilterParts>(read ?? { joiner: "and", parts: [] });
  const written = useRef(text);
  if (text !== written.current && read !== null) {
    // typed in the editor meanwhile
    written.current = text;
    setForm(read);
  }
  const change = (next: FilterParts) => {
    setForm(next);
    written.current = joinParts(next);
    onChange(written.current);
  };
  const set = (at: number, part: FilterPart) =>
    change({ ...form, parts: form.parts.map((p, i) => (i === at ? part : p)) });
  return (
    <form
      aria-label="Filter as a form"
      className="border border-t-0 border-line-strong bg-sheet px-3 py-2 text-[13px]"
      onSubmit={(e) => {
        e.preventDefault();
        onApply();
      }}
    >
      <div className="mb-1 flex items-center gap-2">
        Records for which
        <select
          aria-label="How the lines are joined"
          className={control}
          value={form.joiner}
          onChange={(e) => change({ ...form, joiner: e.target.value as "and" | "or" })}
        >
          <option value="and">all of these hold</option>
          <option value="or">at least one of these holds</option>
        </select>
        {read === null && <span className="text-vermilion">What stands in the editor is not a filter yet.</span>}
      </div>
      {form.parts.length === 0 && <p className="py-1 text-quiet">No line yet: every record.</p>}
      {form.parts.map((part, i) => (
        <div key={i} className="flex items-center gap-2 py-0.5">
          {part.type === "text" ? (
            <input
              aria-label={`Line ${i + 1}`}
              className={`${control} flex-1 font-mono`}
              value={part.text}
              onChange={(e) => set(i, { type: "text", text: e.target.value })}
            />
          ) : (
            <ComparisonLine line={i + 1} part={part} valuesOf={valuesOf} onChange={(p) => set(i, p)} />
          )}
          {!isComplete(part) && <span className="text-quiet">wants a value</span>}
          <button
            type="button"
            aria-label={`Leave out line ${i + 1}`}
            className="text-fjord"
            onClick={() => change({ ...form, parts: form.parts.filter((_, at) => at !== i) })}
          >
            leave out
          </button>
        </div>
      ))}
      <div className="mt-1.5 flex gap-2">
        <Button onClick={() => change({ ...form, parts: [...form.parts, FIRST] })}>Add a line</Button>
        <Button onClick={() => change({ ...form, parts: [...form.parts, { type: "text", text: "" }] })}>
          Add words to look for
        </Button>
        <span className="flex-1" />
        <Button type="submit" main>
          Apply
        </Button>
        <Button onClick={onClose}>Close the form</Button>
      </div>
    </form>
  );
}

function ComparisonLine({
  line,
  part,
  valuesOf,
  onChange,
}: {
  line: number;
  part: FilterPart & { type: "comparison" };
  valuesOf: FilterFormProps["valuesOf"];
  onChange: (part: FilterPart) => void;
}) {
  const list = useId();
  const [offered, setOffered] = useState<readonly string[]>([]);
  const field = fieldOf(part.field);
  const offer = async () => {
    setOffered(field.choices ?? (await valuesOf(part.field)).map((v) => v.label));
  };
  return (
    <>
      <select
        aria-label={`Field of line ${line}`}
        className={control}
        value={part.field}
        onChange={(e) => {
          const name = e.target.value as FieldName;
          const allowed = comparatorsOf(fieldOf(name));
          onChange({
            type: "comparison",
            field: name,
            comparator: allowed.includes(part.comparator) ? part.comparator : allowed[0]!,
            value: "",
          });
        }}
      >
        {FIELDS.map((f) => (
          <option key={f.name} value={f.name} title={f.about}>
            {f.name}
          </option>
        ))}
      </select>
      <select
        aria-label={`Comparison of line ${line}`}
        className={control}
        value={part.comparator}
        onChange={(e) => onChange({ ...part, comparator: e.target.value as typeof part.comparator })}
      >
        {comparatorsOf(field).map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
      {takesValue(part.comparator) && (
        <>
          <input
            aria-label={`Value of line ${line}`}
            className={`${control} min-w-0 flex-1 font-mono`}
            list={list}
            value={part.value}
            placeholder={field.about}
            onFocus={() => void offer()}
            onChange={(e) => onChange({ ...part, value: e.target.value })}
          />
          <datalist id={list}>
            {offered.map((v) => (
              <option key={v} value={v} />
            ))}
          </datalist>
        </>
      )}
    </>
  );
}
