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
import type { Offers } from "../../data/use-field-values";
import { Button, TextButton } from "../../ui/button";
import { CONTROL } from "../../ui/look";
import { Select } from "../../ui/select";

interface FilterFormProps {
  /** The filter as it stands in the editor. */
  readonly text: string;
  readonly context: ParseContext;
  readonly valuesOf: Offers;
  readonly onChange: (text: string) => void;
  readonly onApply: () => void;
  readonly onClose: () => void;
}

const FIRST: FilterPart = { type: "comparison", field: "severity", comparator: "at least", value: "" };
const JOINERS = [
  { value: "and", label: "all of these hold" },
  { value: "or", label: "at least one of these holds" },
];
const FIELD_CHOICES = FIELDS.map((f) => ({ value: f.name, label: f.name, about: f.about }));

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
      className="border border-t-0 border-line-strong bg-sheet px-3 py-2 text-ui"
      onSubmit={(e) => {
        e.preventDefault();
        onApply();
      }}
    >
      <div className="mb-1 flex items-center gap-2">
        Records for which
        <Select
          label="How the lines are joined"
          value={form.joiner}
          onChange={(joiner) => change({ ...form, joiner: joiner as "and" | "or" })}
          options={JOINERS}
        />
        {read === null && <span className="text-vermilion">The text in the editor is not a complete filter yet.</span>}
      </div>
      {form.parts.length === 0 && <p className="py-1 text-quiet">No line yet: every record.</p>}
      {form.parts.map((part, i) => (
        <div key={i} className="flex items-center gap-2 py-0.5">
          {part.type === "text" ? (
            <input
              aria-label={`Line ${i + 1}`}
              className={`${CONTROL} flex-1 font-mono`}
              value={part.text}
              onChange={(e) => set(i, { type: "text", text: e.target.value })}
            />
          ) : (
            <ComparisonLine line={i + 1} part={part} valuesOf={valuesOf} onChange={(p) => set(i, p)} />
          )}
          {!isComplete(part) && <span className="text-quiet">needs a value</span>}
          <TextButton
            aria-label={`Remove line ${i + 1}`}
            onClick={() => change({ ...form, parts: form.parts.filter((_, at) => at !== i) })}
          >
            remove
          </TextButton>
        </div>
      ))}
      <div className="mt-1.5 flex gap-2">
        <Button onClick={() => change({ ...form, parts: [...form.parts, FIRST] })}>Add a line</Button>
        <Button onClick={() => change({ ...form, parts: [...form.parts, { type: "text", text: "" }] })}>
          Add words
        </Button>
        <span className="flex-1" />
        <Button type="submit" main>
          Apply
        </Button>
        <Button onClick={onClose}>Close</Button>
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
    setOffered(field.choices ?? (await valuesOf({ field: part.field })).map((v) => v.label));
  };
  return (
    <>
      <Select
        label={`Field of line ${line}`}
        value={part.field}
        options={FIELD_CHOICES}
        onChange={(chosen) => {
          const name = chosen as FieldName;
          const allowed = comparatorsOf(fieldOf(name));
          onChange({
            type: "comparison",
            field: name,
            comparator: allowed.includes(part.comparator) ? part.comparator : allowed[0]!,
            value: "",
          });
        }}
      />
      <Select
        label={`Comparison of line ${line}`}
        value={part.comparator}
        options={comparatorsOf(field)}
        onChange={(comparator) => onChange({ ...part, comparator: comparator as typeof part.comparator })}
      />
      {takesValue(part.comparator) && (
        <>
          <input
            aria-label={`Value of line ${line}`}
            className={`${CONTROL} min-w-0 flex-1 font-mono`}
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
