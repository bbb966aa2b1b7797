import { splitRow } from "@halvik/core/base/text";
import { type Form, isRead, readerOf } from "@halvik/core/decode/lines";
import { FIELD_TARGETS } from "@halvik/core/formats";
import { useId } from "react";
import { TextButton } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { CONTROL } from "../../ui/look";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import type { Draft } from "./draft";
import { MarkedLine } from "./marked-line";

const SIGNS = [
  { value: ",", label: "comma" },
  { value: ";", label: "semicolon" },
  { value: "|", label: "bar |" },
  { value: "\t", label: "tab" },
  { value: " ", label: "blanks" },
];
const EQUALS = [
  { value: "=", label: "=" },
  { value: ":", label: ":" },
];

interface PartsProps<F extends Form> {
  readonly form: F;
  readonly lines: readonly string[];
  readonly onForm: (form: Form) => void;
}

/** What a form needs to be told, by its kind. */
export function FormParts({
  draft,
  lines,
  onChange,
}: {
  draft: Draft;
  lines: readonly string[];
  onChange: (change: Partial<Draft>) => void;
}) {
  const { form } = draft;
  const onForm = (next: Form) => onChange({ form: next });
  switch (form.is) {
    case "line":
      return <LineParts form={form} lines={lines} onForm={onForm} />;
    case "pairs":
    case "json":
      return (
        <>
          {form.is === "pairs" && (
            <div className="grid grid-cols-[11rem_11rem] gap-3">
              <Field label="Between pairs">
                {(id) => (
                  <Select
                    id={id}
                    value={form.between}
                    options={SIGNS}
                    className="w-full"
                    onChange={(between) => onForm({ ...form, between: between as typeof form.between })}
                  />
                )}
              </Field>
              <Field label="Between name and value">
                {(id) => (
                  <Select
                    id={id}
                    value={form.equals}
                    options={EQUALS}
                    className="w-full"
                    onChange={(equals) => onForm({ ...form, equals: equals as typeof form.equals })}
                  />
                )}
              </Field>
            </div>
          )}
          <NamedValues draft={draft} lines={lines} onNames={(names) => onChange({ names })} />
        </>
      );
    case "columns":
      return <ColumnParts form={form} lines={lines} onForm={onForm} />;
    case "positions":
      return <PositionParts form={form} lines={lines} onForm={onForm} />;
  }
}

function LineParts({ form, lines, onForm }: PartsProps<Extract<Form, { is: "line" }>>) {
  const onTemplate = (template: string) => onForm({ ...form, template });
  return (
    <>
      {lines[0] !== undefined && (
        <MarkedLine line={lines[0].trimEnd()} template={form.template} onChange={onTemplate} />
      )}
      <div className="mt-2">
        <Field
          label="The line with its values"
          hint="{name} or {name:type} where a value stands; {} passes over; {{ is a brace. It goes to the first place at which what follows stands."
        >
          {(id) => (
            <Input
              id={id}
              className="font-mono"
              value={form.template}
              spellCheck={false}
              onChange={(e) => onTemplate(e.target.value)}
            />
          )}
        </Field>
      </div>
    </>
  );
}

/** Names that values bring themselves, what they were in the lines, and what each becomes. */
function NamedValues({
  draft,
  lines,
  onNames,
}: {
  draft: Draft;
  lines: readonly string[];
  onNames: (names: Draft["names"]) => void;
}) {
  const list = useId();
  const { read } = readerOf({ form: draft.form, names: {} });
  const seen = new Map<string, string>();
  for (const line of lines) {
    const reading = read(line);
    if (isRead(reading)) for (const v of reading.values) if (!seen.has(v.name)) seen.set(v.name, v.text);
  }
  for (const name of Object.keys(draft.names)) if (!seen.has(name)) seen.set(name, "");
  return (
    <fieldset>
      <legend className="text-ui text-quiet">
        What each value is: a field, a name of its own, or nothing to leave it out
      </legend>
      <div className="grid max-h-56 grid-cols-[12rem_1fr_14rem] gap-x-3 gap-y-0.5 overflow-y-auto text-ui">
        {[...seen].map(([name, value]) => (
          <NamedValue
            key={name}
            name={name}
            value={value}
            becomes={draft.names[name] ?? name}
            list={list}
            onChange={(to) => {
              const { [name]: _, ...others } = draft.names;
              onNames(to === name ? others : { ...others, [name]: to });
            }}
          />
        ))}
      </div>
      {seen.size === 0 && <p className="text-ui text-quiet">No values are found in the lines.</p>}
      <Targets id={list} />
    </fieldset>
  );
}

const NamedValue = ({
  name,
  value,
  becomes,
  list,
  onChange,
}: {
  name: string;
  value: string;
  becomes: string;
  list: string;
  onChange: (to: string) => void;
}) => (
  <>
    <span className="truncate">{safeText(name)}</span>
    <span className="truncate font-mono text-code text-quiet">{safeText(value)}</span>
    <input
      aria-label={`What ${name} is`}
      list={list}
      value={becomes}
      maxLength={80}
      className={`py-0 ${CONTROL}`}
      onChange={(e) => onChange(e.target.value)}
    />
  </>
);

function ColumnParts({ form, lines, onForm }: PartsProps<Extract<Form, { is: "columns" }>>) {
  const list = useId();
  // also where there are more or fewer than are named: one sees what is missing
  const row = lines.map((line) => splitRow(line.trimEnd(), form.by)).find((found) => found !== null);
  const shownOf = (i: number) => row?.[i] ?? "";
  return (
    <fieldset>
      <legend className="text-ui text-quiet">
        What stands in each column, as name or name:type; nothing passes over it
      </legend>
      <div className="mb-1 w-44">
        <Select
          label="Between columns"
          value={form.by}
          options={SIGNS}
          className="w-full"
          onChange={(by) => onForm({ ...form, by: by as typeof form.by })}
        />
      </div>
      <div className="grid max-h-56 grid-cols-[2rem_1fr_14rem] gap-x-3 gap-y-0.5 overflow-y-auto text-ui">
        {form.names.map((name, i) => (
          <ColumnRow key={i}>
            <span className="text-right text-quiet tabular-nums">{i + 1}</span>
            <span className="truncate font-mono text-code text-quiet">{safeText(shownOf(i))}</span>
            <input
              aria-label={`Column ${i + 1}`}
              list={list}
              value={name}
              maxLength={80}
              className={`py-0 ${CONTROL}`}
              onChange={(e) => onForm({ ...form, names: form.names.map((n, j) => (j === i ? e.target.value : n)) })}
            />
          </ColumnRow>
        ))}
      </div>
      <TextButton onClick={() => onForm({ ...form, names: [...form.names, ""] })}>one more column</TextButton>{" "}
      <TextButton disabled={form.names.length < 2} onClick={() => onForm({ ...form, names: form.names.slice(0, -1) })}>
        one less
      </TextButton>
      <Targets id={list} />
    </fieldset>
  );
}

const ColumnRow = ({ children }: { children: React.ReactNode }) => <div className="contents">{children}</div>;

function PositionParts({ form, lines, onForm }: PartsProps<Extract<Form, { is: "positions" }>>) {
  const list = useId();
  const set = (i: number, change: Partial<(typeof form.columns)[number]>) =>
    onForm({ ...form, columns: form.columns.map((c, j) => (j === i ? { ...c, ...change } : c)) });
  return (
    <fieldset>
      <legend className="text-ui text-quiet">
        From which place to which, counted from 0; an empty end is the rest
      </legend>
      {form.columns.map((c, i) => (
        <div key={i} className="mb-0.5 grid grid-cols-[5rem_5rem_14rem_1fr] gap-3 text-ui">
          <Input
            aria-label={`Part ${i + 1} from`}
            inputMode="numeric"
            value={c.from}
            onChange={(e) => set(i, { from: Number(e.target.value.replace(/\D/g, "")) })}
          />
          <Input
            aria-label={`Part ${i + 1} to`}
            inputMode="numeric"
            value={c.to ?? ""}
            onChange={(e) =>
              set(i, { to: e.target.value === "" ? undefined : Number(e.target.value.replace(/\D/g, "")) })
            }
          />
          <Input
            aria-label={`Part ${i + 1}`}
            list={list}
            value={c.name}
            maxLength={80}
            onChange={(e) => set(i, { name: e.target.value })}
          />
          <span className="self-center truncate font-mono text-code text-quiet">
            {safeText((lines[0] ?? "").slice(c.from, c.to))}
          </span>
        </div>
      ))}
      <TextButton
        onClick={() =>
          onForm({ ...form, columns: [...form.columns, { from: form.columns.at(-1)?.to ?? 0, name: "" }] })
        }
      >
        one more part
      </TextButton>{" "}
      <TextButton
        disabled={form.columns.length < 2}
        onClick={() => onForm({ ...form, columns: form.columns.slice(0, -1) })}
      >
        one less
      </TextButton>
      <Targets id={list} />
    </fieldset>
  );
}

const Targets = ({ id }: { id: string }) => (
  <datalist id={id}>
    {FIELD_TARGETS.map((t) => (
      <option key={t} value={t} />
    ))}
  </datalist>
);
