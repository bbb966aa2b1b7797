import { Field, Input } from "../ui/field";
import { Select, type SelectOption } from "../ui/select";

/** The place that is not there yet. */
export const NEW_PLACE = "";

interface PlaceFieldsProps {
  readonly choices: readonly { readonly label: string }[];
  /** The number of the one that is meant. */
  readonly which: string;
  readonly onWhich: (which: string) => void;
  readonly label: string;
  readonly places: readonly SelectOption[];
  readonly place: string;
  readonly onPlace: (place: string) => void;
  /** Of a new one. */
  readonly name: string;
  readonly onName: (name: string) => void;
  readonly longestName: number;
}

/** Which of several is meant, where there are several; and where it goes: to what is kept already, or to a new one by its name. */
export const PlaceFields = (p: PlaceFieldsProps) => (
  <>
    {p.choices.length > 1 && (
      <Field label="What">
        {(id) => (
          <Select
            id={id}
            value={p.which}
            options={p.choices.map((c, i) => ({ value: String(i), label: c.label }))}
            onChange={p.onWhich}
            className="w-full"
          />
        )}
      </Field>
    )}
    <Field label={p.label}>
      {(id) => (
        <Select
          id={id}
          value={p.place}
          options={[...p.places, { value: NEW_PLACE, label: "a new one …" }]}
          onChange={p.onPlace}
          className="w-full"
        />
      )}
    </Field>
    {p.place === NEW_PLACE && (
      <Field label="Its name">
        {(id) => <Input id={id} maxLength={p.longestName} value={p.name} onChange={(e) => p.onName(e.target.value)} />}
      </Field>
    )}
  </>
);
