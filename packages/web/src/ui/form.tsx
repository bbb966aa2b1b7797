import { type Control, type FieldPath, type FieldValues, useController } from "react-hook-form";
import { Button } from "./button";
import { Checkbox } from "./checkbox";
import { Field } from "./field";
import { Select, type SelectOption } from "./select";
import { DeleteButton } from "./twice-button";

/** Parts of a form whose controls are not native ones, held by react-hook-form. */

interface PartProps<V extends FieldValues> {
  readonly control: Control<V>;
  readonly name: FieldPath<V>;
}

export function SelectField<V extends FieldValues>({
  control,
  name,
  label,
  hint,
  options,
}: PartProps<V> & { label: string; hint?: string; options: readonly (SelectOption | string)[] }) {
  const { field, fieldState } = useController({ control, name });
  return (
    <Field label={label} hint={hint} error={fieldState.error?.message}>
      {(id) => (
        <Select
          id={id}
          value={String(field.value ?? "")}
          onChange={field.onChange}
          options={options}
          className="w-full"
        />
      )}
    </Field>
  );
}

export function CheckField<V extends FieldValues>({
  control,
  name,
  children,
}: PartProps<V> & { children: React.ReactNode }) {
  const { field } = useController({ control, name });
  return (
    <Checkbox checked={field.value === true} onChange={field.onChange} className="mb-2 text-ui">
      {children}
    </Checkbox>
  );
}

/** Several of a list, each with a box. */
export function ChecksField<V extends FieldValues>({
  control,
  name,
  legend,
  options,
}: PartProps<V> & { legend: string; options: readonly SelectOption[] }) {
  const { field, fieldState } = useController({ control, name });
  const chosen: readonly string[] = field.value ?? [];
  return (
    <fieldset className="mb-2.5 text-ui">
      <legend className="text-quiet">{legend}</legend>
      {options.map((o) => (
        <Checkbox
          key={o.value}
          checked={chosen.includes(o.value)}
          onChange={(on) => field.onChange(on ? [...chosen, o.value] : chosen.filter((v) => v !== o.value))}
        >
          {o.label}
        </Checkbox>
      ))}
      {fieldState.error && (
        <p role="alert" className="text-code text-vermilion">
          {fieldState.error.message}
        </p>
      )}
    </fieldset>
  );
}

/** What ends a form: save, cancel, and delete where there is something to delete. */
export const FormEnd = ({
  busy,
  onCancel,
  onDelete,
}: {
  busy: boolean;
  onCancel: () => void;
  /** null: it is new. */
  onDelete: (() => void) | null;
}) => (
  <div className="flex gap-1.5">
    <Button main type="submit" disabled={busy}>
      Save
    </Button>
    <Button onClick={onCancel} shortcut="Esc">
      Cancel
    </Button>
    {onDelete !== null && <DeleteButton className="ml-auto" onDelete={onDelete} disabled={busy} />}
  </div>
);
